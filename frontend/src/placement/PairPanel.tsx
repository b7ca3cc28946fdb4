import type { MicBlend, Pair, Remedy, Trial, TrialReport } from '../api/client'
import { Verdict } from '../ui/Verdict'
import { figure } from '../ui/format'
import type { Trials } from './useTrials'

const BANDS = ['boom', 'body', 'honk', 'bite', 'fizz'] as const
const WIDTH = 76

/** Two microphones of a clip: what their sum does, and each remedy with the sum that it gives; pressed, it is heard. */
export function PairPanel({ trial, report, trials }: { trial: Trial; report: TrialReport; trials: Trials }) {
  const pair = report.pairs[0]
  if (!pair) return <p className="px-3.5 py-3 text-pencil">{report.says[0] ?? 'One microphone: nothing to add up.'}</p>
  return (
    <div className="flex min-h-0 flex-col gap-1.5 overflow-y-auto px-3.5 py-2 text-[13.5px]">
      <div>
        <h2 className="text-[18px] leading-tight first-letter:uppercase">{pair.says}</h2>
        {pair.same_source && (
          <p className="text-[13px] text-pencil">
            {louder(pair)}, coherence {figure(pair.delay.coherence, 2)}
          </p>
        )}
      </div>
      <div role="radiogroup" aria-label="How the mics are heard together" className="flex flex-col">
        {[null, ...pair.remedies.filter((remedy) => !remedy.by_hand)].map((remedy) => (
          <Choice key={remedy?.name ?? 'now'} pair={pair} remedy={remedy} trial={trial} trials={trials} />
        ))}
      </div>
      {report.says.map((said) => (
        <p key={said} className="text-mic first-letter:uppercase">
          ! {said}
        </p>
      ))}
    </div>
  )
}

function louder({ first, second, level_difference_db }: Pair) {
  const name = level_difference_db > 0 ? second : first
  return `${name} ${figure(Math.abs(level_difference_db))} dB louder`
}

function Choice({ pair, remedy, trial, trials }: { pair: Pair; remedy: Remedy | null; trial: Trial; trials: Trials }) {
  const sum = remedy?.sum_of ?? pair.now
  const on = remedy ? isOn(trial.blend, remedy, pair) : asRecorded(trial.blend, pair)
  // Moved by hand it sounds as it does delayed: heard before anything is moved.
  const moved = remedy?.delays ? pair.remedies.find((entry) => entry.by_hand) : undefined
  return (
    <button
      role="radio"
      aria-checked={on}
      onClick={() => trials.setBlend(trial, remedied(trial.blend, pair, remedy))}
      className={`grid grid-cols-[minmax(0,1fr)_auto_46px] items-center gap-x-2 border-t border-rule py-1 text-left first:border-t-0 ${on ? 'font-bold' : ''} hover:bg-wash`}
    >
      <span className="leading-[1.25]">
        {on ? '● ' : '○ '}
        {remedy?.says ?? 'as recorded'}
        {moved && <span className="block pl-4 text-[13px] font-normal text-pencil">or {moved.says}</span>}
      </span>
      <SumBars named={sum.named_db} />
      <span className="text-right whitespace-nowrap">
        <Verdict verdict={sum.verdict}>{`${sum.whole_db > 0 ? '+' : ''}${figure(sum.whole_db)}`}</Verdict>
      </span>
    </button>
  )
}

/** What the sum gains or loses against its powers, band by band. */
function SumBars({ named }: { named: Pair['now']['named_db'] }) {
  const y = (db: number) => 17 - (Math.max(-12, Math.min(4, db)) * 17) / 12
  return (
    <svg
      width={WIDTH}
      height="38"
      role="img"
      aria-label={BANDS.map((name) => `${name} ${named[name] ?? 0} dB`).join(', ')}
    >
      <path d={`M0 17 H${WIDTH}`} stroke="var(--faint)" />
      {BANDS.map((name, index) => {
        const db = named[name]
        if (db === null || db === undefined) return null
        const top = Math.min(y(db), 17)
        return (
          <rect
            key={name}
            x={index * 15 + 3}
            y={top}
            width="10"
            height={Math.max(1.5, Math.abs(y(db) - 17))}
            fill={db < -3 ? 'var(--mic)' : 'var(--ink)'}
          />
        )
      })}
    </svg>
  )
}

const stripOf = (blend: MicBlend, name: string) => blend.strips?.find((strip) => strip.name === name)

const isOn = (blend: MicBlend, remedy: Remedy, pair: Pair) =>
  [pair.first, pair.second].every((name) => {
    const strip = stripOf(blend, name)
    const wanted = remedy.delays === name ? remedy.delay_ms : 0
    return (strip?.flipped ?? false) === (remedy.flips === name) && Math.abs((strip?.delay_ms ?? 0) - wanted) < 1e-3
  })

const asRecorded = (blend: MicBlend, pair: Pair) =>
  [pair.first, pair.second].every((name) => {
    const strip = stripOf(blend, name)
    return !strip || (!strip.delay_ms && !strip.flipped)
  })

/** The blend with one remedy of a pair, or with none: the others of the pair are taken off. */
function remedied(blend: MicBlend, pair: Pair, remedy: Remedy | null): MicBlend {
  const others = (blend.strips ?? []).filter((strip) => strip.name !== pair.first && strip.name !== pair.second)
  const kept = [pair.first, pair.second].flatMap((name) => {
    const strip = stripOf(blend, name)
    const changed = {
      name,
      on: strip?.on ?? true,
      gain_db: strip?.gain_db ?? 0,
      delay_ms: remedy?.delays === name ? remedy.delay_ms : 0,
      flipped: remedy?.flips === name,
    }
    return changed.delay_ms || changed.flipped || !changed.on || changed.gain_db ? [changed] : []
  })
  return { ...blend, strips: [...others, ...kept] }
}
