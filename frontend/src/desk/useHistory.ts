import { actsUnderWay, reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { notice } from '../api/live'
import { refreshSeen, useHistoryOf } from '../api/queries'

/** Undo and redo of the session: the server knows what was done, on this page or another, before a reload or after. */
export function useHistory(sessionId: string) {
  const history = useHistoryOf(sessionId).data
  const path = { path: { session_id: sessionId } }

  /** One step, back or forward again, by the server; what it did is told. */
  const step = (ask: () => Promise<{ did?: string | null }>, done: string, nothing: string) => {
    // A key pressed right after another act undoes that one, not the one before it.
    const earlier = actsUnderWay()
    return reportErrors(async () => {
      await earlier
      const { did } = await ask()
      notice(did ? `${done}: ${did}` : nothing, 'history')
      refreshSeen()
    })
  }
  const undo = () =>
    step(
      () => answered(api.POST('/api/sessions/{session_id}/undo', { params: path })),
      'undone',
      'there is nothing to undo',
    )
  const redo = () =>
    step(
      () => answered(api.POST('/api/sessions/{session_id}/redo', { params: path })),
      'done again',
      'there is nothing to redo',
    )

  return { next: history?.undo ?? null, following: history?.redo ?? null, undo, redo }
}
