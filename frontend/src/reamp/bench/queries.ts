import { keepPreviousData, queryOptions, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { type Bench, answered, api } from '../../api/client'

const pathOf = (part_id: string) => ({ params: { path: { part_id } } })

export const benchQuery = (partId: string) =>
  queryOptions({
    queryKey: ['bench', partId],
    retry: false,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/bench', pathOf(partId))),
  })

/** What lies on the bench of a part. */
export const useBenchQuery = (partId: string | undefined) =>
  useQuery({ ...benchQuery(partId ?? ''), enabled: partId !== undefined })

/** What each block does, in signal order; while a value is turned the curves follow. */
export function useBenchCurves(bench: Bench) {
  return useQuery({
    queryKey: ['bench-curves', bench.part_id, bench.revision],
    placeholderData: keepPreviousData,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/bench/curves', pathOf(bench.part_id))),
  })
}

const SETTLED_MS = 180

/** How loud the sounds are and how they differ, as soon as nothing is turned for a moment. */
export function useMeasured(bench: Bench) {
  const told = JSON.stringify([
    bench.revision,
    bench.sounds.map((sound) => [sound.key, sound.name]),
    bench.from_frame,
    bench.to_frame,
    bench.sound.sound_url,
    bench.voltage.full_scale_v,
  ])
  const settled = useSettled(told, SETTLED_MS)
  return useQuery({
    queryKey: ['bench-measured', bench.part_id, settled],
    placeholderData: keepPreviousData,
    retry: 1,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/bench/measured', pathOf(bench.part_id))),
  })
}

/** Every keeping of the tone on the bench, the newest first. */
export function useRevisions(toneId: string | null | undefined) {
  return useQuery({
    queryKey: ['revisions', toneId],
    enabled: Boolean(toneId),
    queryFn: () => answered(api.GET('/api/tones/{tone_id}/revisions', { params: { path: { tone_id: toneId! } } })),
  })
}

/** The kinds of blocks there are; they never change while the program runs. */
export function useBlockKinds() {
  return useQuery({
    queryKey: ['block-kinds'],
    staleTime: Infinity,
    queryFn: () => answered(api.GET('/api/block-kinds')),
  })
}

function useSettled<T>(value: T, afterMs: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), afterMs)
    return () => clearTimeout(timer)
  }, [value, afterMs])
  return settled
}
