import { reportErrors, useAsking, useSerialQueue } from '../api/acts'
import { type InterfaceSettings, type Part, type Rig, type RigView, answered, api, madeFrom } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshRig, useRig } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'

/** Acts on the armed part's rig; where the server asks first the question is shown. */
export function useRigActs(part: Part | undefined) {
  const { session } = useOpenSession()
  const view = useRig(part?.id).data
  const { asked, dismiss, asking } = useAsking()
  const { inOrder, superseded } = useSerialQueue()
  const path = { path: { part_id: part?.id ?? '' } }

  async function put(rig: Rig, shared: boolean) {
    // From what was answered last: steps that follow each other are made one from the other.
    const seen = madeFrom(queryClient.getQueryData<RigView>(['rig', part?.id])?.revision)
    const changed = await answered(
      api.PUT('/api/parts/{part_id}/rig', { params: { ...path, header: seen }, body: { rig, inputs_shared: shared } }),
    )
    // An answer that a later change has superseded is not shown; what that one is made from is known by it.
    if (superseded()) {
      queryClient.setQueryData<RigView>(['rig', part?.id], (now) => now && { ...now, revision: changed.revision })
      return
    }
    queryClient.setQueryData(['rig', part?.id], changed)
    void queryClient.invalidateQueries({ queryKey: ['session'] })
  }

  function setRig(rig: Rig) {
    const named = rig.tuning?.some((string) => typeof string !== 'number')
    return asking(async (shared) => {
      // Shown at once, computed when the answer is there: the next change is made from it.
      // What is asked for meanwhile would tell of before.
      void queryClient.cancelQueries({ queryKey: ['rig', part?.id] })
      if (!named) queryClient.setQueryData<RigView>(['rig', part?.id], (now) => now && { ...now, rig })
      try {
        await inOrder(() => put(rig, shared))
      } catch (error) {
        void queryClient.invalidateQueries({ queryKey: ['rig'] })
        throw error
      }
    })
  }

  const turn = (channel: string, byDb: number) =>
    reportErrors(async () => {
      const changed = await answered(
        api.POST('/api/parts/{part_id}/turn', { params: path, body: { channel, by_db: byDb } }),
      )
      queryClient.setQueryData(['rig', part?.id], changed)
    })

  const check = (kind: string) =>
    reportErrors(() =>
      answered(api.POST('/api/parts/{part_id}/checks/{kind}', { params: { path: { part_id: part?.id ?? '', kind } } })),
    )

  const stop = () => reportErrors(() => answered(api.DELETE('/api/checks')))

  const setInterface = (settings: InterfaceSettings) =>
    reportErrors(async () => {
      const changed = await answered(
        api.PUT('/api/sessions/{session_id}/interface', {
          params: { path: { session_id: session.id } },
          body: settings,
        }),
      )
      queryClient.setQueryData(['interface', session.id], changed)
      refreshRig()
    })

  const retune = (offsets: number[]) =>
    reportErrors(async () => {
      await answered(api.PUT('/api/parts/{part_id}/tuning-offsets', { params: path, body: { offsets_cents: offsets } }))
      refreshRig()
      notice(
        offsets.length ? 'the tuner now aims at the re-tuned strings' : 'the tuner aims at equal temperament again',
      )
    })

  return { view, asked, dismiss, setRig, turn, check, stop, setInterface, retune }
}

export type RigActs = ReturnType<typeof useRigActs>
