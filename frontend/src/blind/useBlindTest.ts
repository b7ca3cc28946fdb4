import { reportErrors } from '../api/acts'
import { type BlindTest, answered, api } from '../api/client'
import { queryClient, useBlindTest as useNewest } from '../api/queries'

/** The newest blind test of a part's sounds, and what is done in it; the server deals, counts and judges. */
export function useBlindTest(partId: string, kind: BlindTest['kind']) {
  const test = useNewest(partId, kind).data ?? null
  const keep = (changed: BlindTest) => queryClient.setQueryData(['blind-test', partId, kind], changed)

  /** Begin a test; where that is refused it says so to whoever asked. */
  const start = async (sounds: string[]) =>
    keep(
      await answered(
        api.POST('/api/parts/{part_id}/blind-tests', { params: { path: { part_id: partId } }, body: { kind, sounds } }),
      ),
    )
  const begin = (sounds: string[]) => reportErrors(() => start(sounds))

  const choose = (letter: string) =>
    reportErrors(async () => {
      if (!test) return
      const path = { test_id: test.id }
      const body = { number: test.round, letter }
      keep(await answered(api.POST('/api/blind-tests/{test_id}/choose', { params: { path }, body })))
    })

  const reveal = () =>
    reportErrors(async () => {
      if (!test) return
      keep(await answered(api.POST('/api/blind-tests/{test_id}/reveal', { params: { path: { test_id: test.id } } })))
    })

  return { test, start, begin, choose, reveal }
}
