import type { AllInTime, MicBlend, Pair, Remedy, Trial, TrialReport } from '../api/client'
import { Verdict } from '../ui/Verdict'
import { figure } from '../ui/format'
import { pairWith } from './pairWith'
import type { Trials } from './useTrials'

const BANDS = ['boom', 'body', 'honk', 'bite', 'fizz'] as const
const WIDTH = 76

/**
 * Two microphones of a clip: what their sum does, and each remedy with the sum that it gives; pressed, it is heard. Of
 * three and more the pair with `chosen` in it is shown, and all of them can be brought together at once.
 */
export function PairPanel({
  trial,
  report,
  trials,
  chosen,
}: {
  trial: Trial
  report: TrialReport
  trials: Trials
  chosen?: string
}) {
  const pair = pairWith(report, chosen)
  if (!pair) return <p className="px-3.5 py-3 text-pencil">{report.says[0] ?? 'One microphone: nothing to add up.'}</p>
  const all = report.in_time
  const keep = (blend: MicBlend) => trials.setBlend(trial, blend)
  return (
    <div className="flex min-h-0 flex-col gap-1.5 overflow-y-auto px-3.5 py-2 text-[13.5px]">
      <div>
        <h2 className="text-[18px] leading-tight first-letter:uppercase">{pair.says}</h2>
        <p className="flex flex-wrap items-baseline gap-x-3 text-[13px] text-pencil">
          {pair.same_source && `${louder(pair)}, coherence ${figure(pair.delay.coherence, 2)}`}
          {report.pairs.length > 1 &&
            report.pairs
              .filter((entry) => entry !== pair)
              .map((entry) => (
                <button
                  key={entry.second}
                  className="underline underline-offset-4 hover:text-ink"
                  onClick={() => trials.show({ mic: entry.second })}
                >
                  {entry.first} and {entry.second}
                </button>
              ))}
        </p>
      </div>
      <div role="radiogroup" aria-label="How the mics are heard together" className="flex flex-col">
        {all ? (
          <>
            <Choice
              says="as recorded"
              sum={all.now}
              on={asRecorded(
                trial.blend,
                all.mics.map((mic) => mic.name),
              )}
              onChoose={() => keep(inTime(trial.blend, all, false))}
            />
            <Choice
              says={all.says}
              sum={all.sum_of}
              on={isInTime(trial.blend, all)}
              onChoose={() => keep(inTime(trial.blend, all, true))}
            />
          </>
        ) : (
          [null, ...pair.remedies.filter((remedy) => !remedy.by_hand)].map((remedy) => (
            <Choice
              key={remedy?.name ?? 'now'}
              says={remedy?.says ?? 'as recorded'}
              // Moved by hand it sounds as it does delayed: heard before anything is moved.
              orBy={remedy?.delays ? pair.remedies.find((entry) => entry.by_hand)?.says : undefined}
              sum={remedy?.sum_of ?? pair.now}
              on={remedy ? isOn(trial.blend, remedy, pair) : asRecorded(trial.blend, [pair.first, pair.second])}
              onChoose={() => keep(remedied(trial.blend, pair, remedy))}
            />
          ))
        )}
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

function Choice({
  says,
  orBy,
  sum,
  on,
  onChoose,
}: {
  says: string
  orBy?: string
  sum: Pair['now']
  on: boolean
  onChoose: () => void
}) {
  return (
    <button
      role="radio"
      aria-checked={on}
      onClick={onChoose}
      className={`grid grid-cols-[14px_minmax(0,1fr)_auto_46px] items-center gap-x-1.5 border-t border-rule py-1 text-left first:border-t-0 ${on ? 'font-bold' : ''} hover:bg-wash`}
    >
      <span>{on ? '●' : '○'}</span>
      <span className="leading-[1.25]">
        {says}
        {orBy && <span className="block text-[13px] font-normal text-pencil">or {orBy}</span>}
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

const asRecorded = (blend: MicBlend, names: string[]) =>
  names.every((name) => {
    const strip = stripOf(blend, name)
    return !strip || (!strip.delay_ms && !strip.flipped)
  })

const isInTime = (blend: MicBlend, all: AllInTime) =>
  all.mics.every((mic) => {
    const strip = stripOf(blend, mic.name)
    return (strip?.flipped ?? false) === mic.flipped && Math.abs((strip?.delay_ms ?? 0) - mic.delay_ms) < 1e-3
  })

/** A strip with another delay and polarity; none where nothing is left of it. */
function heard(blend: MicBlend, name: string, delay_ms: number, flipped: boolean) {
  const strip = stripOf(blend, name)
  const changed = { name, on: strip?.on ?? true, gain_db: strip?.gain_db ?? 0, delay_ms, flipped }
  return changed.delay_ms || changed.flipped || !changed.on || changed.gain_db ? [changed] : []
}

/** The blend with all microphones in time, or as they were recorded. */
function inTime(blend: MicBlend, all: AllInTime, on: boolean): MicBlend {
  const strips = all.mics.flatMap((mic) => heard(blend, mic.name, on ? mic.delay_ms : 0, on && mic.flipped))
  const others = (blend.strips ?? []).filter((strip) => !all.mics.some((mic) => mic.name === strip.name))
  return { ...blend, strips: [...others, ...strips] }
}

/** The blend with one remedy of a pair, or with none: the others of the pair are taken off. */
function remedied(blend: MicBlend, pair: Pair, remedy: Remedy | null): MicBlend {
  const others = (blend.strips ?? []).filter((strip) => strip.name !== pair.first && strip.name !== pair.second)
  const kept = [pair.first, pair.second].flatMap((name) =>
    heard(blend, name, remedy?.delays === name ? remedy.delay_ms : 0, remedy?.flips === name),
  )
  return { ...blend, strips: [...others, ...kept] }
}
