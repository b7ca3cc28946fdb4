import { useQuery } from '@tanstack/react-query'
import { answered, api } from '../api/client'
import type { Range } from './useCompCell'

export function useComp(partId: string | undefined) {
  return useQuery({
    queryKey: ['comp', partId],
    enabled: partId !== undefined,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/comp', { params: { path: { part_id: partId! } } })),
  })
}

/** Beats and strokes of a section, for ranges finer than a bar. */
export function useMarks(partId: string, line: Range | undefined) {
  return useQuery({
    queryKey: ['marks', partId, line?.from_frame, line?.to_frame],
    enabled: line !== undefined,
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/comp/marks', {
          params: { path: { part_id: partId }, query: { from_frame: line!.from_frame, to_frame: line!.to_frame } },
        }),
      ),
  })
}

/** How the tempo at a frame is another one than where a range was played. */
export function useTempoThere(partId: string, range: Range | undefined, atFrame: number | undefined) {
  return useQuery({
    queryKey: ['comp', partId, 'tempo there', range?.from_frame, range?.to_frame, atFrame],
    enabled: range !== undefined && atFrame !== undefined,
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/comp/lift/tempo', {
          params: {
            path: { part_id: partId },
            query: { from_frame: range!.from_frame, to_frame: range!.to_frame, at_frame: atFrame! },
          },
        }),
      ),
  })
}

/** A join from close up; asked for anew whenever the comp changes. */
export function useJoin(partId: string, frame: number | null) {
  return useQuery({
    queryKey: ['comp', partId, 'join', frame],
    enabled: frame !== null,
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/comp/join', { params: { path: { part_id: partId }, query: { frame: frame! } } }),
      ),
  })
}

/** Pieces of a comp that drop or jump beside their neighbours. */
export function usePieceLevels(partId: string, comped: boolean) {
  return useQuery({
    queryKey: ['comp', partId, 'levels'],
    enabled: comped,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/comp/levels', { params: { path: { part_id: partId } } })),
  })
}

/** Versions of a comp over a stretch, as loud as each other there. */
export function useComparedVersions(partId: string, span: Range, dry: boolean) {
  return useQuery({
    queryKey: ['comp', partId, 'compared', span.from_frame, span.to_frame, dry],
    queryFn: () =>
      answered(
        api.GET('/api/parts/{part_id}/comp/compared', {
          params: {
            path: { part_id: partId },
            query: { from_frame: span.from_frame, to_frame: span.to_frame, dry },
          },
        }),
      ),
  })
}

/** Files and prints of a version of a comp. */
export function useCompMade(compId: string | undefined) {
  return useQuery({
    queryKey: ['comp-made', compId],
    enabled: compId !== undefined,
    queryFn: () => answered(api.GET('/api/comps/{comp_id}/made', { params: { path: { comp_id: compId! } } })),
  })
}
