import { useState } from 'react'
import { asForm, reportErrors, useAsking } from '../api/acts'
import { type Backing, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshSong } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'

/** Acts on backing tracks. */
export function useBacking() {
  const { session } = useOpenSession()
  const [bringing, setBringing] = useState<string | null>(null)
  const { asked, dismiss, asking } = useAsking()
  const refresh = () => queryClient.invalidateQueries({ queryKey: ['backings', session.id] })

  const tried = (act: () => Promise<unknown>) =>
    reportErrors(async () => {
      await act()
      await refresh()
    })

  async function bring(files: FileList | null) {
    const file = files?.[0]
    if (!file) return
    setBringing(file.name)
    await tried(() =>
      answered(
        api.POST('/api/sessions/{session_id}/backings', {
          params: { path: { session_id: session.id } },
          ...asForm(file, {}),
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
      answered(
        api.PUT('/api/backings/{backing_id}/pulse', { params: { path: { backing_id: backing.id } }, body: correction }),
      ),
    )
  }

  function follow(backing: Backing) {
    void asking(async (audioStays) => {
      await answered(
        api.POST('/api/backings/{backing_id}/follow', {
          params: { path: { backing_id: backing.id } },
          body: { audio_stays: audioStays },
        }),
      )
      refreshSong()
    })
  }

  function remove(backing: Backing) {
    void tried(async () => {
      await answered(api.DELETE('/api/backings/{backing_id}', { params: { path: { backing_id: backing.id } } }))
      notice(`${backing.name} is out of the song; its file stays in the session's folder`)
    })
  }

  return { bring, bringing, record, place, correct, follow, remove, asked, dismiss }
}
