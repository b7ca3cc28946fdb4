import { useMemo } from 'react'
import { reportErrors, showThenPut } from '../api/acts'
import { type RollSettings, type Take, answered, api } from '../api/client'
import { type FrameRange, live, notice } from '../api/live'
import { queryClient, refreshTakes, useRollSettings } from '../api/queries'
import type { Player } from '../sound/player'

/** Rolling, and what it is done with: all that the pedal, the deck and the keys do. */
export function useRollActs(sessionId: string, sectionId: string | undefined, player: Player) {
  const settings = useRollSettings(sessionId).data
  return useMemo(() => rollActs(sessionId, sectionId, player, settings), [sessionId, sectionId, player, settings])
}

function rollActs(
  sessionId: string,
  sectionId: string | undefined,
  player: Player,
  settings: RollSettings | undefined,
) {
  const params = { path: { session_id: sessionId } }

  function wanted() {
    const byHand = settings?.way === 'windows' && settings.windows.length === 0
    const here = settings?.from_here && settings.way !== 'loop'
    return {
      section_id: sectionId ?? null,
      from_frame: here ? player.frameNow() : null,
      way: byHand ? ('once' as const) : null,
      by_hand: byHand,
      windows: [],
    }
  }

  const silence = () => player.state.playing && player.stop()

  async function roll(windows: FrameRange[] = []) {
    silence()
    await answered(api.POST('/api/sessions/{session_id}/roll', { params, body: { ...wanted(), windows } }))
  }

  async function rollAgain() {
    silence()
    const started = await answered(api.POST('/api/sessions/{session_id}/roll/again', { params, body: wanted() }))
    if (started.binned?.length) refreshTakes()
  }

  async function bin(targets: Take[]) {
    await putIntoBin(
      targets.map((target) => target.id),
      true,
    )
    const said = targets.length === 1 ? `Take ${targets[0]!.number} is` : `${targets.length} takes are`
    notice(`${said} in the bin; U brings ${targets.length === 1 ? 'it' : 'them'} back`, 'history')
  }

  async function putIntoBin(take_ids: string[], binned: boolean) {
    await answered(api.POST('/api/sessions/{session_id}/takes/bin', { params, body: { take_ids, binned } }))
    refreshTakes()
  }

  const putSettings = (next: RollSettings) =>
    showThenPut(['roll-settings', sessionId], next, () =>
      answered(api.PUT('/api/sessions/{session_id}/roll/settings', { params, body: next })),
    )

  return {
    settings,
    setSettings: (changes: Partial<RollSettings>) =>
      void reportErrors(async () => {
        const now = queryClient.getQueryData<RollSettings>(['roll-settings', sessionId]) ?? settings
        if (!now) return
        await putSettings({ ...now, ...changes })
      }),
    /** Past some ranges, once, however the session rolls. */
    rollPast: (windows: FrameRange[]) => void reportErrors(() => roll(windows)),
    rollOrStop: () =>
      void reportErrors(async () => {
        if (!live.getState().rolling) return roll()
        await answered(api.DELETE('/api/sessions/{session_id}/roll', { params }))
      }),
    binAndRoll: () => void reportErrors(rollAgain),
    punch: () =>
      void reportErrors(
        async () => void (await answered(api.POST('/api/sessions/{session_id}/roll/punch', { params }))),
      ),
    bin: (...targets: Take[]) => void reportErrors(() => bin(targets)),
    unbin: (...ids: string[]) => void reportErrors(() => putIntoBin(ids, false)),
  }
}
