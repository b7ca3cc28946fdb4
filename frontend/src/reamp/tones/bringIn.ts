import { reportErrors } from '../../api/acts'
import { answered, api } from '../../api/client'
import { notice } from '../../api/live'
import { queryClient } from '../../api/queries'

/** A tone as a document, from a file or from the clipboard; what is wrong with it is told with its place. */
export function bringIn(source: File | string, sessionId: string) {
  return reportErrors(async () => {
    const text = typeof source === 'string' ? source : await source.text()
    let document: Record<string, unknown>
    try {
      document = JSON.parse(text) as Record<string, unknown>
    } catch {
      throw new Error(
        `${typeof source === 'string' ? 'what was pasted' : source.name} is no JSON document: a tone is one`,
      )
    }
    const tone = await answered(
      api.POST('/api/tones', { params: { query: { session_id: sessionId } }, body: document }),
    )
    notice(`${tone.name} is kept as revision ${tone.revision}`)
    for (const key of ['tones', 'tones-found', 'history']) void queryClient.invalidateQueries({ queryKey: [key] })
  })
}
