import { reportErrors, serialQueue } from '../api/acts'
import { type Take, answered, api, madeFrom } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshTakes } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'

// One after the other, whichever row or drawer they come from.
const { inOrder } = serialQueue()

/** What a person does with a take; the server can undo each act. */
export function useTakeActs() {
  const { session } = useOpenSession()

  function show(changed: Take) {
    // A question under way will be answered with what was before.
    void queryClient.cancelQueries({ queryKey: ['takes', session.id] })
    queryClient.setQueryData<Take[]>(['takes', session.id], (old) =>
      old?.map((take) => (take.id === changed.id ? changed : take)),
    )
  }

  /** A change of a take, after those before it, made from what they made of it. */
  function act(
    take: Take,
    change: (params: { path: { take_id: string }; header: { 'If-Match'?: string } }) => Promise<Take>,
  ) {
    void reportErrors(() =>
      inOrder(async () => {
        const takes = queryClient.getQueryData<Take[]>(['takes', session.id])
        const revision = (takes?.find((entry) => entry.id === take.id) ?? take).revision
        show(await change({ path: { take_id: take.id }, header: madeFrom(revision) }))
        refreshTakes()
      }),
    )
  }

  return {
    rate: (take: Take, wanted: Take['rating']) => {
      const rating = take.rating === wanted ? null : wanted
      act(take, (params) => answered(api.PUT('/api/takes/{take_id}/rating', { params, body: { rating } })))
    },
    setNote: (take: Take, note: string) =>
      act(take, (params) => answered(api.PUT('/api/takes/{take_id}/note', { params, body: { note } }))),
    setWindows: (take: Take, windows: Take['windows']) =>
      act(take, (params) => answered(api.PUT('/api/takes/{take_id}/windows', { params, body: { windows } }))),
    slip: (take: Take, by: { samples?: number; ms?: number; quarters?: string }) =>
      act(take, (params) => answered(api.POST('/api/takes/{take_id}/slip', { params, body: by }))),
    putBack: (take: Take) => act(take, (params) => answered(api.DELETE('/api/takes/{take_id}/slip', { params }))),
    keepStarred: (takes: Take[]) =>
      void reportErrors(async () => {
        if (!takes.length) return
        const { binned } = await answered(
          api.POST('/api/takes/keep-starred', {
            body: { part_id: takes[0]!.part_id, take_ids: takes.map((take) => take.id) },
          }),
        )
        refreshTakes()
        notice(
          binned.length
            ? `${binned.length} takes are in the bin; U brings them back`
            : 'no take has a star yet: press S on one',
        )
      }),
  }
}
