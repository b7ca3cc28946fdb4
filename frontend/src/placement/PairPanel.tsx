import type { AllInTime, Pair, SumOf, Trial, TrialReport } from '../api/client'
import { Verdict } from '../ui/Verdict'
import { figure } from '../ui/format'
import { BANDS, asRecorded, blendWith, isHeard, ofPair, pairWith } from './alignment'
import type { Trials } from './useTrials'

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
  const pair = pairWith(report.pairs, chosen)
  if (!pair) return <p className="px-3.5 py-3 text-pencil">{report.says[0] ?? 'One microphone: nothing to add up.'}</p>
  const choices = report.in_time ? choicesOfAll(report.in_time) : choicesOfPair(pair)
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
        {choices.map(({ says, orBy, sum, wanted }) => (
          <Choice
            key={says}
            says={says}
            orBy={orBy}
            sum={sum}
            on={isHeard(trial.blend, wanted)}
            onChoose={() => trials.setBlend(trial, blendWith(trial.blend, wanted))}
          />
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

const choicesOfAll = (all: AllInTime) => [
  { says: 'as recorded', orBy: undefined, sum: all.now, wanted: asRecorded(all.mics) },
  { says: all.says, orBy: undefined, sum: all.sum_of, wanted: all.mics },
]

const choicesOfPair = (pair: Pair) =>
  [null, ...pair.remedies.filter((remedy) => !remedy.by_hand)].map((remedy) => ({
    says: remedy?.says ?? 'as recorded',
    // Moved by hand it sounds as it does delayed: heard before anything is moved.
    orBy: remedy?.delays ? pair.remedies.find((entry) => entry.by_hand)?.says : undefined,
    sum: remedy?.sum_of ?? pair.now,
    wanted: ofPair(pair, remedy),
  }))

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
  sum: SumOf
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
function SumBars({ named }: { named: SumOf['named_db'] }) {
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
