import { useRef, useState } from 'react'
import { AsksFirst, type InterfaceSettings, type Part, type Rig, type RigView, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshRig, useRig } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

export type CheckKind = 'level' | 'tuning' | 'noise' | 'latency' | 'bleed'

interface Asked {
  says: string
  agree: () => void
}

/** Acts on the armed part's rig; a change can be taken back, and where the server asks first the question is shown. */
export function useRigActs(part: Part | undefined) {
  const { session } = useDesk()
  const view = useRig(part?.id).data
  const [asked, setAsked] = useState<Asked | null>(null)
  const [kept, setKept] = useState(0)
  const before = useRef<Rig[]>([])
  const pending = useRef(0)
  const waiting = useRef<Promise<unknown>>(Promise.resolve())
  const path = { path: { part_id: part?.id ?? '' } }

  async function put(rig: Rig, shared: boolean) {
    const changed = await answered(api.PUT('/api/parts/{part_id}/rig', { params: path, body: { rig, inputs_shared: shared } }))
    // An answer that a later change has overtaken is not shown.
    if (pending.current > 1) return
    queryClient.setQueryData(['rig', part?.id], changed)
    void queryClient.invalidateQueries({ queryKey: ['session'] })
  }

  async function tried(act: () => Promise<unknown>) {
    try {
      await act()
    } catch (error) {
      notice((error as Error).message)
    }
  }

  async function setRig(rig: Rig, shared = false) {
    const old = view?.rig
    // Shown at once, computed when the answer is there: the next change is made from it.
    const named = rig.tuning?.some((string) => typeof string !== 'number')
    if (!named) queryClient.setQueryData<RigView>(['rig', part?.id], (now) => now && { ...now, rig })
    pending.current += 1
    const turn = waiting.current.then(() => put(rig, shared)).finally(() => (pending.current -= 1))
    waiting.current = turn.catch(() => undefined)
    try {
      await turn
      if (old) before.current.push(old)
      setKept(before.current.length)
    } catch (error) {
      void queryClient.invalidateQueries({ queryKey: ['rig'] })
      if (!(error instanceof AsksFirst)) notice((error as Error).message)
      else
        setAsked({
          says: error.message,
          agree: () => {
            setAsked(null)
            void setRig(rig, true)
          },
        })
    }
  }

  function takeBack() {
    const last = before.current.pop()
    setKept(before.current.length)
    if (last) void tried(() => put(last, true))
  }

  const turn = (channel: string, byDb: number) =>
    tried(async () => {
      const changed = await answered(api.POST('/api/parts/{part_id}/turn', { params: path, body: { channel, by_db: byDb } }))
      queryClient.setQueryData(['rig', part?.id], changed)
    })

  const check = (kind: CheckKind) =>
    tried(() =>
      answered(api.POST('/api/parts/{part_id}/checks/{kind}', { params: { path: { part_id: part?.id ?? '', kind } } })),
    )

  const stop = () => tried(() => answered(api.DELETE('/api/checks')))

  const setInterface = (settings: InterfaceSettings) =>
    tried(async () => {
      const changed = await answered(
        api.PUT('/api/sessions/{session_id}/interface', { params: { path: { session_id: session.id } }, body: settings }),
      )
      queryClient.setQueryData(['interface', session.id], changed)
      refreshRig()
    })

  const retune = (offsets: number[]) =>
    tried(async () => {
      await answered(api.PUT('/api/parts/{part_id}/tuning-offsets', { params: path, body: { offsets_cents: offsets } }))
      refreshRig()
      notice(offsets.length ? 'the tuner now aims at the re-tuned strings' : 'the tuner aims at equal temperament again')
    })

  return { view, asked, dismiss: () => setAsked(null), setRig, takeBack, canTakeBack: kept > 0, turn, check, stop, setInterface, retune }
}

export type RigActs = ReturnType<typeof useRigActs>
