import { useQuery } from '@tanstack/react-query'

/** Columns of a wave: per channel, minimum and maximum by turns in 127ths, `framesPerColumn` frames a pair. */
export interface Wave {
  framesPerColumn: number
  channels: Int8Array[]
}

export const SHEET_FRAMES_PER_COLUMN = 1024

export function useWave(id: string | null | undefined, framesPerColumn = SHEET_FRAMES_PER_COLUMN) {
  return useQuery({
    queryKey: ['wave', id, framesPerColumn],
    enabled: Boolean(id),
    staleTime: Infinity,
    gcTime: Infinity,
    queryFn: async (): Promise<Wave> => {
      const response = await fetch(`/api/waves/${id}?frames_per_column=${framesPerColumn}`)
      if (!response.ok) throw new Error('this wave cannot be drawn')
      const bytes = new Int8Array(await response.arrayBuffer())
      const count = Number(response.headers.get('X-Channels'))
      const length = bytes.length / count
      const channels = Array.from({ length: count }, (_, index) => bytes.subarray(index * length, (index + 1) * length))
      return { framesPerColumn, channels }
    },
  })
}
