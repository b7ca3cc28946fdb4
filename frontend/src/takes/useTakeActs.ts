import { orSay } from '../api/acts'
import { type Take, answered, api, madeFrom } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshTakes } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

/** What a person does with a take; the server can undo each act. */
export function useTakeActs() {
  const { session } = useDesk()

  function show(changed: Take) {
    queryClient.setQueryData<Take[]>(['takes', session.id], (old) => old?.map((take) => (take.id === changed.id ? changed : take)))
  }

  const made = (take: Take) => ({ path: { take_id: take.id }, header: madeFrom(take.revision) })

  async function shown(changes: Promise<Take>) {
    show(await changes)
    refreshTakes()
  }

  return {
    rate: (take: Take, rating: Take['rating']) =>
      void orSay(() => {
        const next = take.rating === rating ? null : rating
        return shown(answered(api.PUT('/api/takes/{take_id}/rating', { params: made(take), body: { rating: next } })))
      }),
    setNote: (take: Take, note: string) =>
      void orSay(() => shown(answered(api.PUT('/api/takes/{take_id}/note', { params: made(take), body: { note } })))),
    setWindows: (take: Take, windows: Take['windows']) =>
      void orSay(() => shown(answered(api.PUT('/api/takes/{take_id}/windows', { params: made(take), body: { windows } })))),
    slip: (take: Take, by: { samples?: number; ms?: number; quarters?: string }) =>
      void orSay(() => shown(answered(api.POST('/api/takes/{take_id}/slip', { params: made(take), body: by })))),
    putBack: (take: Take) =>
      void orSay(() => shown(answered(api.DELETE('/api/takes/{take_id}/slip', { params: made(take) })))),
    keepStarred: (takes: Take[]) =>
      void orSay(async () => {
        if (!takes.length) return
        const { binned } = await answered(
          api.POST('/api/takes/keep-starred', { body: { part_id: takes[0]!.part_id, take_ids: takes.map((take) => take.id) } }),
        )
        refreshTakes()
        notice(binned.length ? `${binned.length} takes are in the bin; U brings them back` : 'no take has a star yet: press S on one')
      }),
  }
}
