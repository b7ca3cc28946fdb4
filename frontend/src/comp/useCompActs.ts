import { useMemo } from 'react'
import { reportErrors, serialQueue } from '../api/acts'
import { type Comp, type Phrase, answered, api } from '../api/client'
import { queryClient } from '../api/queries'

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
          for (const key of ['comp', 'sheet', 'history']) void queryClient.invalidateQueries({ queryKey: [key] })
        }),
      )
    }

    const range = ({ from_frame, to_frame }: Pick<Phrase, 'from_frame' | 'to_frame'>) => ({ from_frame, to_frame })
    return {
      use: (takeId: string, phrase: Pick<Phrase, 'from_frame' | 'to_frame'>) =>
        act(() =>
          answered(
            api.POST('/api/parts/{part_id}/comp/use', {
              params: { path },
              body: { take_id: takeId, ...range(phrase) },
            }),
          ),
        ),
      clear: (phrase: Phrase) =>
        act(() => answered(api.POST('/api/parts/{part_id}/comp/clear', { params: { path }, body: range(phrase) }))),
      follow: (phrase: Phrase) =>
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
