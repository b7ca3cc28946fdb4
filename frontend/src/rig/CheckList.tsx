import type { Check } from '../api/client'
import { useLive } from '../api/live'
import { Verdict } from '../signal/Verdict'

export const CHECKS = [
  ['level', 'Level', 'play your loudest'],
  ['tuning', 'Tuner', 'string by string'],
  ['chords', 'Chords', 'what clashes in tune'],
  ['noise', 'Noise', 'hands off the strings'],
  ['latency', 'Latency', 'output into an input'],
  ['bleed', 'Bleed', 'the click in the mics'],
] as const

export type Panel = (typeof CHECKS)[number][0] | 'interface' | 'sheets'

/** Every check with what was found last; one that was never run says what it needs. */
export function CheckList({
  checks,
  chosen,
  onChoose,
}: {
  checks: Check[]
  chosen: Panel | null
  onChoose: (panel: Panel) => void
}) {
  const measuring = useLive((live) => live.measuring)
  return (
    <ul aria-label="Checks" className="border-t border-rule">
      {CHECKS.map(([kind, name, needs]) => {
        const found = checks.find((check) => check.kind === kind)
        return (
          <li key={kind} className="border-b border-rule">
            <button
              onClick={() => onChoose(kind)}
              aria-pressed={chosen === kind}
              className={`block w-full px-2 py-[5px] text-left leading-tight ${chosen === kind ? 'bg-sheet outline outline-ink' : ''}`}
            >
              <span className="flex items-baseline justify-between gap-2">
                <span className="font-name text-[15px] font-semibold">{name}</span>
                <span className="text-[13.5px]">
                  {measuring === kind ? (
                    'listening…'
                  ) : found ? (
                    <Verdict verdict={found.verdict} />
                  ) : (
                    <span className="text-pencil">{kind === 'chords' ? '' : 'not yet'}</span>
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
