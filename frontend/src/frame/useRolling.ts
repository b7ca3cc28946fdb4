import { orSay, showThenPut } from '../api/acts'
import { type RollSettings, type Take, answered, api } from '../api/client'
import { liveState, notice, useLive } from '../api/live'
import { queryClient, refreshTakes, useRollSettings } from '../api/queries'

interface Rolled {
  sessionId: string
  sectionId: string | undefined
  frameNow: () => number
  before: () => void
}

/** Rolling, and what it is done with: all that the pedal, the deck and the keys do. */
export function useRolling({ sessionId, sectionId, frameNow, before }: Rolled) {
  const { rolling } = useLive()
  const settings = useRollSettings(sessionId).data
  const path = { path: { session_id: sessionId } }

  function wanted() {
    const byHand = settings?.way === 'windows' && settings.windows.length === 0
    const here = settings?.from_here && settings.way !== 'loop'
    return {
      section_id: sectionId ?? null,
      from_frame: here ? frameNow() : null,
      way: byHand ? ('once' as const) : null,
      by_hand: byHand,
    }
  }

  async function roll() {
    before()
    await answered(api.POST('/api/sessions/{session_id}/roll', { params: path, body: wanted() }))
  }

  async function rollAgain() {
    before()
    const started = await answered(api.POST('/api/sessions/{session_id}/roll/again', { params: path, body: wanted() }))
    if (started.binned?.length) refreshTakes()
  }

  async function bin(targets: Take[]) {
    await putIntoBin(
      targets.map((target) => target.id),
      true,
    )
    const said = targets.length === 1 ? `Take ${targets[0]!.number} is` : `${targets.length} takes are`
    notice(`${said} in the bin; U brings ${targets.length === 1 ? 'it' : 'them'} back`)
  }

  async function putIntoBin(take_ids: string[], binned: boolean) {
    await answered(api.POST('/api/sessions/{session_id}/takes/bin', { params: path, body: { take_ids, binned } }))
    refreshTakes()
  }

  const putSettings = (next: RollSettings) =>
    showThenPut(['roll-settings', sessionId], next, () =>
      answered(api.PUT('/api/sessions/{session_id}/roll/settings', { params: path, body: next })),
    )

  return {
    settings,
    setSettings: (changes: Partial<RollSettings>) =>
      void orSay(async () => {
        const now = queryClient.getQueryData<RollSettings>(['roll-settings', sessionId]) ?? settings
        if (!now) return
        await putSettings({ ...now, ...changes })
      }),
    rollOrStop: () =>
      void orSay(async () => {
        if (!liveState().rolling) return roll()
        await answered(api.DELETE('/api/sessions/{session_id}/roll', { params: path }))
      }),
    binAndRoll: () => void orSay(rollAgain),
    punch: () =>
      void orSay(
        async () => void (await answered(api.POST('/api/sessions/{session_id}/roll/punch', { params: path }))),
      ),
    bin: (...targets: Take[]) => void orSay(() => bin(targets)),
    unbin: (...ids: string[]) => void orSay(() => putIntoBin(ids, false)),
    rolling,
  }
}
