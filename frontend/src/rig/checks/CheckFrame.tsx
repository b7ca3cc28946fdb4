import type { Check } from '../../api/client'
import { useLive } from '../../api/live'
import { Button } from '../../ui/Button'
import { Verdict } from '../../ui/Verdict'
import { clock } from '../../ui/format'
import type { RigActs } from '../useRigActs'

/** The frame of a check: what to do, the button that listens, what was found last. */
export function CheckFrame({
  kind,
  title,
  says,
  button,
  check,
  acts,
  children,
}: {
  kind: string
  title: string
  says: string
  button: string
  check: Check | undefined
  acts: RigActs
  children?: React.ReactNode
}) {
  const listening = useLive((live) => live.listening)
  const rolling = useLive((live) => live.rolling)
  const engine = useLive((live) => live.engine)
  const measuring = useLive((live) => live.measuring)
  const mine = listening?.kind === kind
  return (
    <section aria-label={title} className="flex min-h-0 grow flex-col overflow-y-auto border-t border-rule pt-3">
      <div className="flex items-center gap-5">
        <div className="min-w-0">
          <h2 className="text-[20px] leading-tight">{title}</h2>
          <p className="text-[14px] text-pencil">{says}</p>
        </div>
        <div className="ml-auto flex items-center gap-3">
          {mine && kind !== 'tuning' && <Listened title={title} frames={listening.frames} />}
          {mine ? (
            <Button main onClick={() => void acts.stop()}>
              Stop and measure
            </Button>
          ) : (
            <Button
              main
              disabled={engine !== 'ready' || rolling !== null || listening !== null || measuring === kind}
              onClick={() => void acts.check(kind)}
            >
              {measuring === kind ? 'Measuring…' : engine === 'ready' ? button : 'Warming up'}
            </Button>
          )}
        </div>
      </div>
      {check && !mine && (
        <p className="mt-2 text-[15.5px]">
          <Verdict verdict={check.verdict} />
          <span className="ml-2">{check.says.slice(0, 1).toUpperCase() + check.says.slice(1)}.</span>
          <span className="ml-2 text-[13px] text-pencil">{clock(check.made_at)}</span>
        </p>
      )}
      <div className="mt-2.5 min-h-0">{children}</div>
    </section>
  )
}

/** How far the listening is. */
function Listened({ title, frames }: { title: string; frames: number }) {
  const done = useLive((live) => (live.meters ? Math.min(1, Math.round((120 * live.meters.frame) / frames) / 120) : 0))
  return (
    <svg
      width="120"
      height="10"
      role="progressbar"
      aria-valuenow={Math.round(100 * done)}
      aria-label={`${title} is listening`}
    >
      <path d="M0 5 H120" stroke="var(--rule)" strokeWidth="2" />
      <path d={`M0 5 H${120 * done}`} stroke="var(--ink)" strokeWidth="6" />
    </svg>
  )
}
