import type { Check, Choices } from '../api/client'
import { useLive } from '../api/live'
import { Verdict } from '../ui/Verdict'

/** Every check with what was found last; one that was never run says what it needs. */
export function CheckList({
  kinds,
  checks,
  chosen,
  onChoose,
}: {
  kinds: Choices['checks']
  checks: Check[]
  chosen: string | null
  onChoose: (kind: string) => void
}) {
  const measuring = useLive((live) => live.measuring)
  return (
    <ul aria-label="Checks" className="border-t border-rule">
      {kinds.map(({ kind, title, needs, listens }) => {
        const found = checks.find((check) => check.kind === kind)
        return (
          <li key={kind} className="border-b border-rule">
            <button
              onClick={() => onChoose(kind)}
              aria-pressed={chosen === kind}
              className={`block w-full px-2 py-[5px] text-left leading-tight ${chosen === kind ? 'bg-sheet outline outline-ink' : ''}`}
            >
              <span className="flex items-baseline justify-between gap-2">
                <span className="font-name text-[15px] font-semibold">{title}</span>
                <span className="text-[13.5px]">
                  {measuring === kind ? (
                    'listening…'
                  ) : found ? (
                    <Verdict verdict={found.verdict} />
                  ) : (
                    <span className="text-pencil">{listens ? 'not yet' : ''}</span>
                  )}
                </span>
              </span>
              <span className="block truncate text-[12.5px] text-pencil">{found?.says ?? needs}</span>
            </button>
          </li>
        )
      })}
    </ul>
  )
}
