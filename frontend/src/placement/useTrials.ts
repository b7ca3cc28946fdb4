import { useCallback, useEffect, useMemo, useRef } from 'react'
import { actsUnderWay, formOf, reportErrors } from '../api/acts'
import {
  type ComparedTrials,
  type MicBlend,
  type Part,
  type Placement,
  type Trial,
  answered,
  api,
  madeFrom,
} from '../api/client'
import { notice, useLive } from '../api/live'
import { queryClient, refreshPlacement, refreshRig, useComparedTrials, usePlacement } from '../api/queries'
import { useChoice, usePlayer } from '../desk/Choice'
import { useHearing } from '../desk/Hearing'
import { useOpenSession } from '../desk/OpenSession'
import { besideOf } from '../desk/Transport'
import { useAddress } from '../shell/useAddress'
import { playerSounds } from './playerSounds'

export const MOST_COMPARED = 9
const NONE: Trial[] = []

/** The trial clips of a part: which are held against each other, which is heard, and all that is done with them. */
export function useTrials(part: Part) {
  const { session } = useOpenSession()
  const { player, setHeardBeside } = useChoice()
  const { cue } = useHearing()
  const { playing, heard } = usePlayer()
  const { shown, show } = useAddress()
  const placement = usePlacement(part.id).data
  const trials = placement?.trials ?? NONE
  const wanted = shown.get('trial')
  const beside = useMemo(() => besideEachOther(trials, wanted), [trials, wanted])
  const of = shown.get('of')
  const compared = useComparedTrials(beside, of).data
  const trial = trials.find((entry) => entry.id === wanted) ?? trials[0]
  const settings = placement?.settings

  /** The clip that is meant at this moment. */
  const meant = useCallback(() => {
    const id = new URLSearchParams(window.location.search).get('trial')
    return trials.find((entry) => entry.id === id) ?? trials[0]
  }, [trials])

  // A clip that was just recorded is the one that is meant.
  const newest = useLive((live) => live.newestTrial)
  const seen = useRef(newest)
  useEffect(() => {
    if (newest === seen.current) return
    seen.current = newest
    if (newest?.part_id === part.id) show({ trial: newest.take_id })
  }, [newest, part.id, show])

  const start = useCallback(
    async (from: ComparedTrials, id: string, at: number) => {
      const stretch: [number, number] = [from.from_frame, from.to_frame]
      const inside = at >= stretch[0] && at < stretch[1]
      const song = settings?.beside === 'the song' ? await besideOf(session.id, cue?.id, part.id) : []
      await player.play(playerSounds(from), id, inside ? at : stretch[0], stretch, null, song)
    },
    [player, settings, session.id, cue?.id, part.id],
  )

  // What sounds was changed: it goes on, at the same place, as it is now.
  const played = useRef<ComparedTrials | null>(null)
  // Pressed before it was known what it sounds like: it is heard as soon as it is.
  const awaited = useRef<string | null>(null)
  useEffect(() => {
    if (!compared || compared === played.current) return
    played.current = compared
    const id = awaited.current ?? (player.state.playing ? player.state.heard : null)
    awaited.current = null
    if (!id || !compared.sounds.some((sound) => sound.trial_id === id)) return
    void reportErrors(() => start(compared, id, player.frameNow()))
  }, [compared, player, start])

  const hear = useCallback(
    (id: string) => {
      show({ trial: id })
      if (!compared?.sounds.some((sound) => sound.trial_id === id)) {
        awaited.current = id
        return
      }
      if (player.state.playing && player.state.heard) player.choose(id)
      else void reportErrors(() => start(compared, id, player.frameNow()))
    },
    [compared, player, show, start],
  )

  const playOrStop = useCallback(() => {
    if (player.state.playing || player.state.loading) return player.stop()
    const target = meant()
    if (!target) return notice('there is no trial clip yet: Page Down records one')
    hear(target.id)
  }, [player, meant, hear])

  const path = useMemo(() => ({ part_id: part.id }), [part.id])
  const record = useCallback(() => {
    // What was typed right before is recorded with.
    const earlier = actsUnderWay()
    void reportErrors(async () => {
      player.stop()
      await earlier
      await answered(api.POST('/api/parts/{part_id}/trials', { params: { path } }))
    })
  }, [player, path])
  const bringIn = (list: FileList | File[] | null) =>
    void reportErrors(async () => {
      const files = Array.from(list ?? [])
      if (!files.length) return
      const made = await answered(
        api.POST('/api/parts/{part_id}/trials/imports', {
          params: { path },
          body: { files: [] },
          bodySerializer: formOf('files', files, {}),
        }),
      )
      refreshPlacement()
      show({ trial: made.id })
      notice(`Trial ${made.number} is ${files[0]!.name}`)
    })
  const bin = useCallback(
    (target: Trial) =>
      reportErrors(async () => {
        await answered(api.POST('/api/trials/{trial_id}/bin', { params: { path: { trial_id: target.id } } }))
        refreshPlacement()
        notice(`trial ${target.number} is in the bin; U brings it back`, 'history')
      }),
    [],
  )
  const binAndRecord = useCallback(
    () => void (trials[0] ? bin(trials[0]) : Promise.resolve()).then(() => record()),
    [trials, bin, record],
  )

  const choose = (target: Trial) =>
    void reportErrors(async () => {
      const changed = await answered(
        api.POST('/api/trials/{trial_id}/choose', { params: { path: { trial_id: target.id } } }),
      )
      queryClient.setQueryData(['placement', part.id], changed)
      refreshRig()
      notice(`the rig stands as for trial ${target.number}: takes are recorded so from now on`)
    })

  const setBlend = (target: Trial, blend: MicBlend) =>
    void reportErrors(async () => {
      const changed = await answered(
        api.PUT('/api/trials/{trial_id}/blend', {
          params: { path: { trial_id: target.id }, header: madeFrom(target.revision) },
          body: blend,
        }),
      )
      queryClient.setQueryData<Placement>(
        ['placement', part.id],
        (now) => now && { ...now, trials: now.trials.map((entry) => (entry.id === target.id ? changed : entry)) },
      )
    })

  const setNote = (target: Trial, note: string) =>
    void reportErrors(async () => {
      await answered(
        api.PUT('/api/trials/{trial_id}/note', {
          params: { path: { trial_id: target.id }, header: madeFrom(target.revision) },
          body: { note },
        }),
      )
      refreshPlacement()
    })

  const setSettings = (changes: Partial<Placement['settings']>) =>
    void reportErrors(async () => {
      if (!placement) return
      const changed = await answered(
        api.PUT('/api/parts/{part_id}/placement/settings', {
          params: { path, header: madeFrom(placement.revision) },
          body: { ...placement.settings, ...changes },
        }),
      )
      queryClient.setQueryData(['placement', part.id], changed)
    })

  // What is heard is told at the deck.
  const heardTrial = beside.find((entry) => entry.id === heard)
  const said = !playing || !heardTrial ? null : shown.has('blind') ? 'one of the letters' : `trial ${heardTrial.number}`
  useEffect(() => {
    setHeardBeside(said ? { name: said, detail: of ?? 'all mics' } : null)
    return () => setHeardBeside(null)
  }, [said, of, setHeardBeside])

  return {
    placement,
    trials,
    beside,
    compared,
    trial,
    meant,
    of,
    playing: playing && heardTrial ? heardTrial.id : null,
    show,
    hear,
    playOrStop,
    record,
    bringIn,
    bin,
    binAndRecord,
    choose,
    setBlend,
    setNote,
    setSettings,
  }
}

export type Trials = ReturnType<typeof useTrials>

/**
 * The clips that are held against each other, each with a number key: the newest nine, the oldest of them first; an
 * older one that is meant takes the place of the oldest.
 */
export function besideEachOther<T extends { id: string }>(newestFirst: T[], meant: string | null): T[] {
  const newest = newestFirst.slice(0, MOST_COMPARED)
  const older = newestFirst.slice(MOST_COMPARED).find((entry) => entry.id === meant)
  if (older) newest.splice(MOST_COMPARED - 1, 1, older)
  return newest.reverse()
}
