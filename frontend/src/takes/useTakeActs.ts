import { orSay } from '../api/acts'
import { type Take, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshTakes } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

/** What a person does with a take; each act can be taken back. */
export function useTakeActs() {
  const { session, rolling } = useDesk()
  const { remember } = rolling

  function show(changed: Take) {
    queryClient.setQueryData<Take[]>(['takes', session.id], (old) => old?.map((take) => (take.id === changed.id ? changed : take)))
  }

  const path = (take: Take) => ({ path: { take_id: take.id } })

  async function putRating(take: Take, rating: Take['rating']) {
    show(await answered(api.PUT('/api/takes/{take_id}/rating', { params: path(take), body: { rating } })))
  }
  async function putNote(take: Take, note: string) {
    show(await answered(api.PUT('/api/takes/{take_id}/note', { params: path(take), body: { note } })))
  }
  async function putWindows(take: Take, windows: Take['windows']) {
    show(await answered(api.PUT('/api/takes/{take_id}/windows', { params: path(take), body: { windows } })))
    refreshTakes()
  }
  async function slipBy(take: Take, by: { samples?: number; ms?: number; quarters?: string }) {
    const moved = await answered(api.POST('/api/takes/{take_id}/slip', { params: path(take), body: by }))
    show(moved)
    refreshTakes()
    return moved
  }
  async function unslip(take: Take) {
    show(await answered(api.DELETE('/api/takes/{take_id}/slip', { params: path(take) })))
    refreshTakes()
  }

  return {
    rate: (take: Take, rating: Take['rating']) =>
      void orSay(async () => {
        const next = take.rating === rating ? null : rating
        await putRating(take, next)
        remember(() => putRating(take, take.rating), () => putRating(take, next))
      }),
    setNote: (take: Take, note: string) =>
      void orSay(async () => {
        await putNote(take, note)
        remember(() => putNote(take, take.note), () => putNote(take, note))
      }),
    setWindows: (take: Take, windows: Take['windows']) =>
      void orSay(async () => {
        await putWindows(take, windows)
        remember(() => putWindows(take, take.windows), () => putWindows(take, windows))
      }),
    slip: (take: Take, by: { samples?: number; ms?: number; quarters?: string }) =>
      void orSay(async () => {
        const moved = await slipBy(take, by)
        const samples = moved.slip_frames - take.slip_frames
        remember(
          async () => void (await slipBy(take, { samples: -samples })),
          async () => void (await slipBy(take, { samples })),
        )
      }),
    putBack: (take: Take) =>
      void orSay(async () => {
        await unslip(take)
        remember(
          async () => void (await slipBy(take, { samples: take.slip_frames })),
          () => unslip(take),
        )
      }),
    keepStarred: (takes: Take[]) =>
      void orSay(async () => {
        if (!takes.length) return
        const { binned } = await answered(
          api.POST('/api/takes/keep-starred', { body: { part_id: takes[0]!.part_id, take_ids: takes.map((take) => take.id) } }),
        )
        refreshTakes()
        if (!binned.length) return notice('no take has a star yet: press S on one')
        notice(`${binned.length} takes are in the bin; U takes them out again`)
        remember(() => rolling.unbinNow(binned), () => rolling.binNow(binned))
      }),
  }
}
