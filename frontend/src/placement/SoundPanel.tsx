import { useState } from 'react'
import type { Across, ComparedTrials, Plan, Trial, TrialReport } from '../api/client'
import { useAcross, useRuled } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Select } from '../ui/Select'
import { figure } from '../ui/format'
import { type ChartLine, ResponseChart } from './ResponseChart'
import { heardSum, pairWith } from './alignment'
import type { Trials } from './useTrials'

const EXPECTED = 'expected, as it is drawn'
const MICS = 'measured, each mic and their sum'
const ACROSS = 'all parts, as they are chosen'

/** What the microphones make of the sound: as the plan expects it, as it was measured, or against another trial. */
export function SoundPanel({
  plan,
  trials,
  mic,
  height,
}: {
  plan: Plan
  trials: Trials
  /** The microphone that is looked at. */
  mic: string | undefined
  height: number
}) {
  const { compared, trial, beside, of } = trials
  const { session } = useOpenSession()
  const [wanted, setWanted] = useState<string | null>(null)
  const report = compared?.sounds.find((sound) => sound.trial_id === trial?.id)?.report
  const others = beside.filter((entry) => entry.id !== trial?.id)
  const drawnSince = trials.placement?.same_as === null
  const options = [EXPECTED, ...(report ? [MICS] : []), ...(report ? others.map((entry) => entry.id) : []), ACROSS]
  // What was drawn since has not sounded yet.
  const chosen = wanted && options.includes(wanted) ? wanted : report && !drawnSince ? MICS : EXPECTED
  const other = others.find((entry) => entry.id === chosen)
  const across = useAcross(chosen === ACROSS ? session.id : undefined).data
  const ruled = useRuled(other && trial?.id, other?.id, of)
  const against = `trial ${trial?.number} against trial ${other?.number}, free of the playing`
  const pair = report && pairWith(report.pairs, mic)
  return (
    <section aria-label="Sound" className="flex flex-col border border-rule bg-sheet px-3.5 pt-2.5 pb-1">
      <div className="flex items-baseline gap-3 text-[13.5px] whitespace-nowrap">
        <h2 className="text-[18px]">
          {chosen === EXPECTED ? 'Expected sound' : chosen === ACROSS ? 'The song' : `Trial ${trial?.number}`}
        </h2>
        <Select
          label="Shown"
          value={chosen}
          options={options}
          said={(option) => {
            const found = others.find((entry) => entry.id === option)
            return found ? `against trial ${found.number}` : option
          }}
          onChange={setWanted}
        />
        <span className="ml-auto min-w-0 truncate text-pencil">
          {other
            ? (ruled.data?.says ?? ruled.error?.message ?? 'comparing…')
            : chosen === MICS
              ? summary(report)
              : chosen === ACROSS
                ? acrossSaid(across)
                : 'dB'}
        </span>
      </div>
      {chosen === ACROSS ? (
        <ResponseChart
          label="Spectra of all parts whose placement is chosen"
          height={height}
          lowest={-42}
          highest={6}
          bands={plan.bands_hz}
          notchesHz={across?.bumps.map((bump) => bump.centre_hz)}
          lines={across ? acrossLines(across) : []}
        />
      ) : other ? (
        <ResponseChart
          label={against}
          height={height}
          lowest={-12}
          highest={12}
          bands={plan.bands_hz}
          lines={ruled.data ? [ruledLine(ruled.data.bands)] : []}
        />
      ) : chosen === MICS && trial && report && compared ? (
        <ResponseChart
          label={`Spectrum of trial ${trial.number}, each microphone and their sum`}
          height={height}
          lowest={-15}
          highest={9}
          bands={plan.bands_hz}
          notchesHz={pair?.notches_hz}
          lines={measuredLines(trial, report, compared)}
        />
      ) : (
        <ResponseChart
          label="Expected response of each microphone and their sum"
          height={height}
          lowest={-15}
          highest={9}
          bands={plan.bands_hz}
          notchesHz={pairWith(plan.pairs, mic)?.notches_hz}
          lines={expectedLines(plan)}
        />
      )}
    </section>
  )
}

function acrossSaid(across: Across | undefined) {
  if (!across) return 'looking…'
  if (across.parts.length < 2) return 'choose a placement for two parts or more'
  return across.says[0] ?? `together ${figure(across.tilt_db_per_octave)} dB an octave, no bump that two share`
}

function acrossLines(across: Across): ChartLine[] {
  const parts = across.parts.map(({ name, thirds_db }) => ({ name, db: thirds_db }))
  return linesOf(parts, across.centres_hz, across.together_db)
}

function summary(report: TrialReport | undefined) {
  if (!report?.heard) return 'silent'
  const tilt = report.heard.tilt_db_per_octave
  const noise = report.mics.map((mic) => mic.above_noise_db).filter((each) => each !== null)
  const away = noise.length ? `, ${figure(Math.min(...noise), 0)} dB above its noise` : ''
  return `${tilt > 0 ? '+' : ''}${figure(tilt)} dB an octave${away}`
}

const LOOK = ['dots', 'dashes', 'both'] as const

function linesOf(mics: { name: string; db: number[] }[], hz: number[], sum: readonly (number | null)[] | undefined) {
  const lines: ChartLine[] = mics.map(({ name, db }, index) => ({
    name,
    hz,
    db,
    look: mics.length === 1 ? 'ink' : LOOK[index % LOOK.length]!,
  }))
  return mics.length > 1 && sum ? [...lines, { name: 'sum', hz, db: sum, look: 'ink' as const }] : lines
}

/** Each microphone against what all hear on average, and what their sum gains or loses against their powers. */
function expectedLines(plan: Plan): ChartLine[] {
  const mics = plan.curves.map(({ name, level_db }) => ({ name, db: level_db }))
  return linesOf(mics, plan.frequency_hz, plan.together_db)
}

function measuredLines(trial: Trial, report: TrialReport, compared: ComparedTrials): ChartLine[] {
  const mics = report.mics.flatMap(({ name, beside_db }) => (beside_db ? [{ name, db: beside_db }] : []))
  return linesOf(mics, compared.centres_hz, heardSum(trial, report)?.thirds_db)
}

function ruledLine(
  bands: { centre_hz: number; difference_db: number | null; uncertainty_db: number | null }[],
): ChartLine {
  return {
    name: 'difference',
    hz: bands.map((band) => band.centre_hz),
    db: bands.map((band) => band.difference_db),
    offDb: bands.map((band) => band.uncertainty_db),
    look: 'ink',
  }
}
