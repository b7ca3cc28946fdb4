import { useRef, useState } from 'react'
import { useAsking, useTurns } from '../api/acts'
import { type Click, type Section, type Session, answered, api } from '../api/client'
import { notice } from '../api/live'
import { newId } from '../api/newId'
import { queryClient, refreshAlongBars } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

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

/** Changes of the song, each of which can be taken back; a question is shown where the server asks first. */
export function useSong() {
  const { session } = useDesk()
  const { asked, dismiss, asking } = useAsking()
  const { inTurn, overtaken } = useTurns()
  const [undone, setUndone] = useState(0)
  const back = useRef<(() => Promise<void>)[]>([])
  const path = { path: { session_id: session.id } }

  function keep(changed: Session) {
    // An answer that a later change has overtaken is not shown.
    if (overtaken()) return
    queryClient.setQueryData(['session', session.id], changed)
    refreshAlongBars()
  }

  /** Do something after what was asked for before, and remember how to take it back. */
  function act(does: (agreed: boolean) => Promise<void>, undoes: () => Promise<void>) {
    void asking(async (agreed) => {
      try {
        await inTurn(() => does(agreed))
      } catch (error) {
        void queryClient.invalidateQueries({ queryKey: ['session'] })
        throw error
      }
      back.current.push(undoes)
      setUndone((count) => count + 1)
    })
  }

  /** Show a change at once: the next one is made from it, however slow the answer is. */
  function show(changes: Partial<Session>) {
    queryClient.setQueryData<Session>(['session', session.id], (old) => old && { ...old, ...changes })
    // An answer under way still tells of before.
    void queryClient.cancelQueries({ queryKey: ['session', session.id] })
  }

  async function putMap(map: SongMap, audioStays: boolean) {
    keep(await answered(api.PUT('/api/sessions/{session_id}/tempo', { params: path, body: { ...map, audio_stays: audioStays } })))
  }

  function setMap(map: SongMap) {
    const before = mapOf(session)
    act(
      (audioStays) => putMap(map, audioStays),
      () => putMap(before, true),
    )
  }

  async function putSections(sections: NewSection[], oneAfterTheOther: boolean) {
    const changed = await answered(
      api.PUT('/api/sessions/{session_id}/sections', {
        params: path,
        body: { sections, one_after_the_other: oneAfterTheOther },
      }),
    )
    keep(changed.session)
    if (changed.stayed_takes.length)
      notice(`${changed.stayed_takes.join(', ')} lie across two sections and stayed where they were`)
    else if (changed.moved_takes) notice(`${changed.moved_takes} takes went with their section`)
  }

  function setSections(wanted: NewSection[]) {
    const before: Section[] = session.sections
    const map = mapOf(session)
    const sections = wanted.map((section) => ({ ...section, id: section.id ?? newId() }))
    show({ sections })
    act(
      () => putSections(sections, true),
      async () => {
        await putSections(before, true)
        await putMap(map, true)
      },
    )
  }

  /** Tempo map and sections from elsewhere, together: the bars of the one are the bars of the other. */
  function takeOver(map: SongMap, sections: NewSection[]) {
    const before = mapOf(session)
    const sectionsBefore: Section[] = session.sections
    const longest = Math.max(map.song_bars, session.song_bars)
    const put = async (wanted: SongMap, wantedSections: NewSection[], audioStays: boolean) => {
      await putMap({ ...wanted, song_bars: longest }, audioStays)
      await putSections(wantedSections, false)
      await putMap(wanted, true)
    }
    act(
      (audioStays) => put(map, sections, audioStays),
      () => put(before, sectionsBefore, true),
    )
  }

  function setClick(click: Click) {
    const before = session.click
    const put = async (settings: Click) => {
      await answered(api.PUT('/api/sessions/{session_id}/click', { params: path, body: settings }))
      show({ click: settings })
    }
    show({ click })
    act(
      () => put(click),
      () => put(before),
    )
  }

  function setAbout(about: { name?: string; artist?: string; reference_pitch_hz?: number; depth?: Session['depth'] }) {
    const { name, artist, depth, reference_pitch_hz, arm_together } = session
    const before = { name, artist, depth, reference_pitch_hz, arm_together }
    const put = async (body: typeof before) =>
      keep(await answered(api.PUT('/api/sessions/{session_id}/about', { params: path, body })))
    act(
      () => put({ ...before, ...about }),
      () => put(before),
    )
  }

  async function takeBack() {
    const last = back.current.pop()
    if (!last) return
    try {
      await last()
    } catch (error) {
      notice((error as Error).message)
    }
    setUndone((count) => count - 1)
  }

  return { asked, dismiss, setMap, setSections, takeOver, setClick, setAbout, takeBack, canTakeBack: undone > 0 }
}
