import { reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { useWaitingTakes } from '../api/queries'
import { Button } from '../ui/Button'

/** Takes that are safe on disk and could not be entered yet: which, why, and a way to try at once. */
export function WaitingTakes() {
  const waiting = useWaitingTakes()
  const found = waiting.data ?? []
  if (!found.length) return null
  return (
    <section
      role="status"
      aria-label="Takes that wait on disk"
      className="border-t border-ink bg-sheet px-2.5 py-2 text-[14px]"
    >
      {found.map((take) => (
        <p key={take.folder} className="truncate" title={`${take.folder}: ${take.problem}`}>
          ~ {take.folder} is on disk and not entered yet: {take.problem}
        </p>
      ))}
      <Button
        className="mt-1.5"
        onClick={() =>
          void reportErrors(async () => {
            await answered(api.POST('/api/takes/waiting/try'))
            await waiting.refetch()
          })
        }
      >
        Try again now
      </Button>
    </section>
  )
}
