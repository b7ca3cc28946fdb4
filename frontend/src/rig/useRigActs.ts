import { useRef, useState } from 'react'
import { orSay, useAsking, useTurns } from '../api/acts'
import { type InterfaceSettings, type Part, type Rig, type RigView, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshRig, useRig } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

export type CheckKind = 'level' | 'tuning' | 'noise' | 'latency' | 'bleed'

/** Acts on the armed part's rig; a change can be taken back, and where the server asks first the question is shown. */
export function useRigActs(part: Part | undefined) {
  const { session } = useDesk()
  const view = useRig(part?.id).data
  const { asked, dismiss, asking } = useAsking()
  const { inTurn, overtaken } = useTurns()
  const [kept, setKept] = useState(0)
  const before = useRef<Rig[]>([])
  const path = { path: { part_id: part?.id ?? '' } }

  async function put(rig: Rig, shared: boolean) {
    const changed = await answered(api.PUT('/api/parts/{part_id}/rig', { params: path, body: { rig, inputs_shared: shared } }))
    // An answer that a later change has overtaken is not shown.
    if (overtaken()) return
    queryClient.setQueryData(['rig', part?.id], changed)
    void queryClient.invalidateQueries({ queryKey: ['session'] })
  }

  function setRig(rig: Rig) {
    const old = view?.rig
    const named = rig.tuning?.some((string) => typeof string !== 'number')
    return asking(async (shared) => {
      // Shown at once, computed when the answer is there: the next change is made from it.
      if (!named) queryClient.setQueryData<RigView>(['rig', part?.id], (now) => now && { ...now, rig })
      try {
        await inTurn(() => put(rig, shared))
      } catch (error) {
        void queryClient.invalidateQueries({ queryKey: ['rig'] })
        throw error
      }
      if (old) before.current.push(old)
      setKept(before.current.length)
    })
  }

  function takeBack() {
    const last = before.current.pop()
    setKept(before.current.length)
    if (last) void orSay(() => put(last, true))
  }

  const turn = (channel: string, byDb: number) =>
    orSay(async () => {
      const changed = await answered(api.POST('/api/parts/{part_id}/turn', { params: path, body: { channel, by_db: byDb } }))
      queryClient.setQueryData(['rig', part?.id], changed)
    })

  const check = (kind: CheckKind) =>
    orSay(() =>
      answered(api.POST('/api/parts/{part_id}/checks/{kind}', { params: { path: { part_id: part?.id ?? '', kind } } })),
    )

  const stop = () => orSay(() => answered(api.DELETE('/api/checks')))

  const setInterface = (settings: InterfaceSettings) =>
    orSay(async () => {
      const changed = await answered(
        api.PUT('/api/sessions/{session_id}/interface', { params: { path: { session_id: session.id } }, body: settings }),
      )
      queryClient.setQueryData(['interface', session.id], changed)
      refreshRig()
    })

  const retune = (offsets: number[]) =>
    orSay(async () => {
      await answered(api.PUT('/api/parts/{part_id}/tuning-offsets', { params: path, body: { offsets_cents: offsets } }))
      refreshRig()
      notice(offsets.length ? 'the tuner now aims at the re-tuned strings' : 'the tuner aims at equal temperament again')
    })

  return { view, asked, dismiss, setRig, takeBack, canTakeBack: kept > 0, turn, check, stop, setInterface, retune }
}

export type RigActs = ReturnType<typeof useRigActs>
