import { useMemo } from 'react'
import { asForm, reportErrors } from '../../api/acts'
import { type Bench, answered, api } from '../../api/client'
import { notice } from '../../api/live'
import { queryClient } from '../../api/queries'
import { benchQuery } from './queries'
import { Turning } from './turning'

/** What is done on the bench of a part; the server's answer is what lies there from then on. */
export function useBenchActs(partId: string) {
  return useMemo(() => {
    const params = { path: { part_id: partId } }
    const turning = new Turning(partId)

    const lay = (ask: () => Promise<Bench>) =>
      reportErrors(async () => {
        const bench = await ask()
        queryClient.setQueryData(benchQuery(partId).queryKey, bench)
        void queryClient.invalidateQueries({ queryKey: ['history'] })
      })

    return {
      edit: (edit: Parameters<Turning['do']>[0]) => turning.do(edit),
      setSource: (material_id: string | null, from_bar: number | null, to_bar: number | null) =>
        lay(() =>
          answered(api.PUT('/api/parts/{part_id}/bench/source', { params, body: { material_id, from_bar, to_bar } })),
        ),
      setVoltage: (full_scale_v: number | null) =>
        lay(() => answered(api.PUT('/api/parts/{part_id}/bench/voltage', { params, body: { full_scale_v } }))),
      takeUp: (what: { tone_revision_id?: string; aside?: 'A' | 'B' }) =>
        lay(() => answered(api.POST('/api/parts/{part_id}/bench/tone', { params, body: what }))),
      putAside: (letter: 'A' | 'B') =>
        lay(() => answered(api.POST('/api/parts/{part_id}/bench/aside', { params, body: { letter } }))),
      setBeside: (keys: string[]) =>
        lay(() => answered(api.PUT('/api/parts/{part_id}/bench/beside', { params, body: { keys } }))),
      bringReference: (file: File) =>
        lay(() => answered(api.POST('/api/parts/{part_id}/bench/references', { params, ...asForm(file, {}) }))),
      match: (key: string, what: 'balance' | 'drive') =>
        lay(async () => {
          if (what === 'drive') notice('its drive is searched for, a few seconds')
          const matched = await answered(
            api.POST('/api/parts/{part_id}/bench/matched', { params, body: { key, what } }),
          )
          notice(matched.says)
          return matched.bench
        }),
      keep: async (name: string, use: string, instruments: Bench['instruments']) => {
        const bench = await answered(
          api.POST('/api/parts/{part_id}/bench/kept', { params, body: { name, use, instruments } }),
        )
        queryClient.setQueryData(benchQuery(partId).queryKey, bench)
        for (const key of ['tones', 'tones-found', 'revisions', 'history'])
          void queryClient.invalidateQueries({ queryKey: [key] })
      },
    }
  }, [partId])
}
