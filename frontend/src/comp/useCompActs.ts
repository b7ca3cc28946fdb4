import { useMemo } from 'react'
import { reportErrors, serialQueue } from '../api/acts'
import { type Comp, answered, api } from '../api/client'
import { queryClient } from '../api/queries'
import type { Range } from './useCompCell'

const { inOrder, superseded } = serialQueue()

/** What is done to the comp of a part; the server joins it, and can undo each act. */
export function useCompActs(partId: string) {
  return useMemo(() => {
    const path = { part_id: partId }

    function act(does: () => Promise<Comp>) {
      void reportErrors(() =>
        inOrder(async () => {
          const comp = await does()
          if (!superseded()) queryClient.setQueryData(['comp', partId], comp)
          for (const key of ['comp', 'sheet', 'marks', 'history'])
            void queryClient.invalidateQueries({ queryKey: [key] })
        }),
      )
    }

    const range = ({ from_frame, to_frame }: Range) => ({ from_frame, to_frame })
    return {
      use: (takeId: string, phrase: Range) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/use', {
              params: { path },
              body: { take_id: takeId, ...range(phrase) },
            }),
          ),
        ),
      clear: (phrase: Range) =>
        act(() => answered(api.POST('/api/parts/{part_id}/comp/clear', { params: { path }, body: range(phrase) }))),
      follow: (phrase: Range) =>
        act(() => answered(api.POST('/api/parts/{part_id}/comp/follow', { params: { path }, body: range(phrase) }))),
      /** A first comp by what was found in the takes, of some sections or, without any, of the song. */
      propose: (sectionIds: string[], onlyMissing = false) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/first', {
              params: { path },
              body: { section_ids: sectionIds, only_missing: onlyMissing },
            }),
          ),
        ),
      /** Later or earlier by what is typed: "12 ms", "-240 samples", "1/16"; as a whole, or each stroke by itself. */
      move: (where: Range, by: string, strokes: boolean) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/move', { params: { path }, body: { by, strokes, ...range(where) } }),
          ),
        ),
      moveOnto: (where: Range, against: 'click' | 'others', percent: number, strokes: boolean) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/onto', {
              params: { path },
              body: { against, percent, strokes, ...range(where) },
            }),
          ),
        ),
      /** By cents, or onto the note that it is nearest to. */
      tune: (where: Range, cents: number | null, percent = 100) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/tune', { params: { path }, body: { cents, percent, ...range(where) } }),
          ),
        ),
      moveBack: (where: Range) =>
        act(() => answered(api.POST('/api/parts/{part_id}/comp/move-back', { params: { path }, body: range(where) }))),
      /** A copy of a range of a take begins at a frame too. */
      lift: (where: Range, takeId: string, atFrame: number, how: { under?: boolean; stretched?: boolean }) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/lift', {
              params: { path },
              body: { take_id: takeId, at_frame: atFrame, under: false, stretched: false, ...how, ...range(where) },
            }),
          ),
        ),
      turn: (where: Range, byDb: number) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/turn', { params: { path }, body: { by_db: byDb, ...range(where) } }),
          ),
        ),
      /** Where a join lies and how long its crossfade is; `onDone` is told where it is then. */
      setJoin: (frame: number, toFrame: number, ms: number, onDone: (frame: number) => void, onRefused: () => void) =>
        act(async () => {
          const body = { frame, to_frame: toFrame, ms }
          try {
            const comp = await answered(api.PUT('/api/parts/{part_id}/comp/join', { params: { path }, body }))
            onDone(toFrame)
            return comp
          } catch (problem) {
            onRefused()
            throw problem
          }
        }),
      copy: (name: string) =>
        act(() => answered(api.POST('/api/parts/{part_id}/comp/versions', { params: { path }, body: { name } }))),
      choose: (compId: string) =>
        act(() =>
          answered(api.PUT('/api/parts/{part_id}/comp/current', { params: { path }, body: { comp_id: compId } })),
        ),
      rename: (compId: string, name: string) =>
        act(() =>
          answered(api.PUT('/api/comps/{comp_id}/name', { params: { path: { comp_id: compId } }, body: { name } })),
        ),
      remove: (compId: string) =>
        act(() => answered(api.DELETE('/api/comps/{comp_id}', { params: { path: { comp_id: compId } } }))),
    }
  }, [partId])
}
