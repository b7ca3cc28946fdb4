import { useAsking, useSerialQueue } from '../api/acts'
import { type Click, type Session, answered, api, madeFrom } from '../api/client'
import { notice } from '../api/live'
import { newId } from '../api/newId'
import { queryClient, refreshAlongBars } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'

export interface TempoChange {
  bar: number
  says: string
  ramp: boolean
  meant: boolean
}

export interface MeterChange {
  bar: number
  beats: number
  unit: number
  meant: boolean
}

export interface SongMap {
  tempos: TempoChange[]
  meters: MeterChange[]
  song_bars: number
}

export interface NewSection {
  id?: string | null
  name: string
  first_bar: number
  bars: number
  phrase_bars: number
}

export function mapOf(session: Session): SongMap {
  return {
    tempos: session.tempos.map(({ bar, says, ramp, meant }) => ({ bar, says, ramp, meant })),
    meters: session.meters.map(({ bar, beats, unit, meant }) => ({ bar, beats, unit, meant })),
    song_bars: session.song_bars,
  }
}

/** Changes of the song; a question is shown where the server asks first. */
export function useSong() {
  const { session } = useOpenSession()
  const { asked, dismiss, asking } = useAsking()
  const { inOrder, superseded } = useSerialQueue()
  const path = { path: { session_id: session.id } }

  function keep(changed: Session) {
    // An answer that a later change has superseded is not shown; what that one is made from is known by it.
    if (superseded()) return void show({ revision: changed.revision })
    queryClient.setQueryData(['session', session.id], changed)
    refreshAlongBars()
  }

  /** Do something after what was asked for before. */
  function act(does: (agreed: boolean) => Promise<void>) {
    void asking(async (agreed) => {
      try {
        await inOrder(() => does(agreed))
      } catch (error) {
        void queryClient.invalidateQueries({ queryKey: ['session'] })
        throw error
      }
    })
  }

  /** Show a change at once: the next one is made from it, however slow the answer is. */
  function show(changes: Partial<Session>) {
    queryClient.setQueryData<Session>(['session', session.id], (old) => old && { ...old, ...changes })
    // An answer under way still tells of before.
    void queryClient.cancelQueries({ queryKey: ['session', session.id] })
  }

  /** What a change of the song is made from: what was answered last, however many were asked for since. */
  const made = () => ({
    ...path,
    header: madeFrom(queryClient.getQueryData<Session>(['session', session.id])?.revision),
  })

  function setMap(map: SongMap) {
    act(async (audio_stays) =>
      keep(
        await answered(api.PUT('/api/sessions/{session_id}/tempo', { params: made(), body: { ...map, audio_stays } })),
      ),
    )
  }

  function keepSections(changed: { session: Session; moved_takes: number; stayed_takes: string[] }) {
    keep(changed.session)
    if (changed.stayed_takes.length)
      notice(`${changed.stayed_takes.join(', ')} lie across two sections and stayed where they were`)
    else if (changed.moved_takes) notice(`${changed.moved_takes} takes went with their section`)
  }

  function setSections(wanted: NewSection[]) {
    const sections = wanted.map((section) => ({ ...section, id: section.id ?? newId() }))
    show({ sections })
    act(async (agreed) =>
      keepSections(
        await answered(
          api.PUT('/api/sessions/{session_id}/sections', {
            params: made(),
            body: { sections, one_after_the_other: true, agreed },
          }),
        ),
      ),
    )
  }

  /** Tempo map and sections from elsewhere, together: the bars of the one are the bars of the other. */
  function takeOver(map: SongMap, sections: NewSection[]) {
    act(async (audio_stays) =>
      keepSections(
        await answered(
          api.PUT('/api/sessions/{session_id}/song', {
            params: made(),
            body: { map: { ...map, audio_stays }, sections },
          }),
        ),
      ),
    )
  }

  function setClick(click: Click) {
    show({ click })
    act(async () => {
      await answered(api.PUT('/api/sessions/{session_id}/click', { params: path, body: click }))
      show({ click })
    })
  }

  function setAbout(about: { name?: string; artist?: string; reference_pitch_hz?: number; depth?: Session['depth'] }) {
    const { name, artist, depth, reference_pitch_hz, arm_together } = session
    const body = { name, artist, depth, reference_pitch_hz, arm_together, ...about }
    act(async () => keep(await answered(api.PUT('/api/sessions/{session_id}/about', { params: path, body }))))
  }

  return { asked, dismiss, setMap, setSections, takeOver, setClick, setAbout }
}
