import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { answered, api } from '../../api/client'
import type { paths } from '../../api/schema'

type Asked = NonNullable<paths['/api/tones/found']['get']['parameters']['query']>
export type Order = NonNullable<Asked['order']>
export type Instrument = NonNullable<Asked['instrument']>

export const INSTRUMENTS: Instrument[] = ['guitar', 'baritone', 'bass', 'acoustic']

/** Tones by words, instrument and figures, the best first. */
export function useFound(asked: Asked) {
  return useQuery({
    queryKey: ['tones-found', asked],
    placeholderData: keepPreviousData,
    queryFn: () => answered(api.GET('/api/tones/found', { params: { query: asked } })),
  })
}
