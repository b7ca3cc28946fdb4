import { useHistory } from '../desk/useHistory'
import { useOpenSession } from '../desk/OpenSession'

/** The last act, to be undone, and the one that was undone last, to be done again. */
export function UndoLinks({ className = '' }: { className?: string }) {
  const history = useHistory(useOpenSession().session.id)
  return (
    <span className={`flex min-w-0 gap-4 text-[13.5px] whitespace-nowrap ${className}`}>
      {history.next && (
        <button
          className="min-w-0 truncate underline underline-offset-4"
          title={`Undo: ${history.next}`}
          onClick={() => void history.undo()}
        >
          Undo: {history.next}
        </button>
      )}
      {history.following && (
        <button
          className="underline underline-offset-4"
          title={`Redo: ${history.following}`}
          onClick={() => void history.redo()}
        >
          Redo
        </button>
      )}
    </span>
  )
}
