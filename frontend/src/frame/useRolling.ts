import { useRef } from 'react'
import { orSay, showThenPut } from '../api/acts'
import { type RollSettings, type Take, answered, api } from '../api/client'
import { liveState, notice, useLive } from '../api/live'
import { queryClient, refreshTakes, useRollSettings } from '../api/queries'
import { TakenBack } from './taken-back'

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
  const acts = useRef(new TakenBack()).current
  const remember = acts.remember.bind(acts)
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
    const thrown = started.binned ?? []
    if (!thrown.length) return
    remember(() => unbin(thrown), () => binNow(thrown))
    refreshTakes()
  }

  async function bin(targets: Take[]) {
    const ids = targets.map((target) => target.id)
    await binNow(ids)
    remember(() => unbin(ids), () => binNow(ids))
    const said = targets.length === 1 ? `Take ${targets[0]!.number} is` : `${targets.length} takes are`
    notice(`${said} in the bin; U takes ${targets.length === 1 ? 'it' : 'them'} out again`)
  }

  async function binNow(ids: string[]) {
    for (const id of ids) await answered(api.POST('/api/takes/{take_id}/bin', { params: { path: { take_id: id } } }))
    refreshTakes()
  }

  async function unbin(ids: string[]) {
    for (const id of ids) {
      await entered(id)
      await answered(api.DELETE('/api/takes/{take_id}/bin', { params: { path: { take_id: id } } }))
    }
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
        const next = { ...now, ...changes }
        await putSettings(next)
        remember(() => putSettings(now), () => putSettings(next))
      }),
    rollOrStop: () =>
      void orSay(async () => {
        if (!liveState().rolling) return roll()
        await answered(api.DELETE('/api/sessions/{session_id}/roll', { params: path }))
      }),
    binAndRoll: () => void orSay(rollAgain),
    punch: () => void orSay(async () => void (await answered(api.POST('/api/sessions/{session_id}/roll/punch', { params: path })))),
    bin: (...targets: Take[]) => void orSay(() => bin(targets)),
    remember,
    binNow,
    unbinNow: unbin,
    unbin: (...ids: string[]) => void orSay(() => unbin(ids)),
    undo: () =>
      void orSay(async () => {
        if (!(await acts.undo())) notice('there is nothing to take back')
      }),
    redo: () =>
      void orSay(async () => {
        if (!(await acts.redo())) notice('nothing was taken back')
      }),
    rolling,
  }
}

const ENTERED_MS = 10_000

/** A take that was thrown away while it rolled is entered a moment later; only then it can be taken out again. */
async function entered(id: string) {
  const until = performance.now() + ENTERED_MS
  while (performance.now() < until) {
    const lists = queryClient.getQueriesData<Take[]>({ queryKey: ['takes'] })
    if (lists.some(([, list]) => list?.some((take) => take.id === id))) return
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}
