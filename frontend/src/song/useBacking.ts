import { useState } from 'react'
import { type Backing, AsksFirst, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshSong } from '../api/queries'
import { useDesk } from '../frame/SessionContext'
import type { Asked } from './useSong'

/** Acts on backing tracks. */
export function useBacking() {
  const { session } = useDesk()
  const [bringing, setBringing] = useState<string | null>(null)
  const [asked, setAsked] = useState<Asked | null>(null)
  const refresh = () => queryClient.invalidateQueries({ queryKey: ['backings', session.id] })

  async function tried(act: () => Promise<unknown>) {
    try {
      await act()
      await refresh()
    } catch (error) {
      notice((error as Error).message)
    }
  }

  async function bring(files: FileList | null) {
    const file = files?.[0]
    if (!file) return
    setBringing(file.name)
    await tried(() =>
      answered(
        api.POST('/api/sessions/{session_id}/backings', {
          params: { path: { session_id: session.id } },
          // The form is built by hand: the generated type of a file is a string.
          body: { file: '' },
          bodySerializer: () => {
            const form = new FormData()
            form.set('file', file)
            return form
          },
        }),
      ),
    )
    setBringing(null)
  }

  function record(fromBar: number, bars: number) {
    void tried(() =>
      answered(
        api.POST('/api/sessions/{session_id}/playback', {
          params: { path: { session_id: session.id } },
          body: { name: 'Computer playback', from_bar: fromBar, bars },
        }),
      ),
    )
  }

  function place(backing: Backing, bar: number, framesAfter: number, gainDb: number, byFirstDownbeat = false) {
    void tried(() =>
      answered(
        api.PUT('/api/backings/{backing_id}/place', {
          params: { path: { backing_id: backing.id } },
          body: { bar, frames_after: framesAfter, gain_db: gainDb, by_first_downbeat: byFirstDownbeat },
        }),
      ),
    )
  }

  function correct(backing: Backing, correction: { near_bpm?: number; first_downbeat?: number }) {
    void tried(() =>
      answered(api.PUT('/api/backings/{backing_id}/pulse', { params: { path: { backing_id: backing.id } }, body: correction })),
    )
  }

  async function follow(backing: Backing, audioStays = false) {
    try {
      await answered(
        api.POST('/api/backings/{backing_id}/follow', {
          params: { path: { backing_id: backing.id } },
          body: { audio_stays: audioStays },
        }),
      )
      refreshSong()
    } catch (error) {
      if (!(error instanceof AsksFirst)) notice((error as Error).message)
      else
        setAsked({
          says: error.message,
          agree: () => {
            setAsked(null)
            void follow(backing, true)
          },
        })
    }
  }

  function remove(backing: Backing) {
    void tried(async () => {
      await answered(api.DELETE('/api/backings/{backing_id}', { params: { path: { backing_id: backing.id } } }))
      notice(`${backing.name} is out of the song; its file stays in the session's folder`)
    })
  }

  return { bring, bringing, record, place, correct, follow, remove, asked, dismiss: () => setAsked(null) }
}
