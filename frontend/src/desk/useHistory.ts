import { reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { notice } from '../api/live'
import { refreshAllSoon, useHistoryOf } from '../api/queries'

/** Undo and redo of the session: the server knows what was done, on this page or another, before a reload or after. */
export function useHistory(sessionId: string) {
  const history = useHistoryOf(sessionId).data
  const path = { path: { session_id: sessionId } }

  const undo = () =>
    reportErrors(async () => {
      const now = await answered(api.POST('/api/sessions/{session_id}/undo', { params: path }))
      notice(now.did ? `undone: ${now.did}` : 'there is nothing to undo', 'history')
      refreshAllSoon()
    })

  const redo = () =>
    reportErrors(async () => {
      const now = await answered(api.POST('/api/sessions/{session_id}/redo', { params: path }))
      notice(now.did ? `done again: ${now.did}` : 'there is nothing to redo', 'history')
      refreshAllSoon()
    })

  return { next: history?.undo ?? null, following: history?.redo ?? null, undo, redo }
}
