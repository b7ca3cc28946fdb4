import type { SumOf, Trial, TrialReport } from '../api/client'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Verdict } from '../ui/Verdict'
import { figure } from '../ui/format'
import { BANDS, heardSum } from './alignment'
import type { Trials } from './useTrials'

const IMAGES = ['mono', 'left and right', 'mid and side'] as const
const SIZE = 136

/** The first two microphones as an image: goniometer, correlation, width, and what mono loses. */
export function ImagePanel({ trial, report, trials }: { trial: Trial; report: TrialReport; trials: Trials }) {
  const image = trial.blend.image ?? 'mono'
  const sum = heardSum(trial, report)
  const stereo = report.stereo
  return (
    <div className="flex min-h-0 flex-col gap-1 px-3.5 py-2 text-[13.5px]">
      <div className="flex items-baseline gap-3 whitespace-nowrap">
        <h2 className="text-[18px]">{stereo ? 'Image' : 'In mono'}</h2>
        <Select
          label="Heard as"
          value={image}
          options={IMAGES}
          onChange={(next) => trials.setBlend(trial, { ...trial.blend, image: next })}
        />
      </div>
      {stereo ? (
        <div className="flex gap-3.5">
          <Goniometer points={report.points} />
          <dl className="grid flex-1 grid-cols-[1fr_auto] content-start gap-x-1.5 gap-y-0.5 pt-1 text-[13px] whitespace-nowrap">
            <dt className="text-pencil">correlation</dt>
            <dd className="text-right font-semibold">{signedFigure(stereo.correlation, 2)}</dd>
            <dt className="text-pencil">width</dt>
            <dd className="text-right font-semibold">{figure(stereo.width, 2)}</dd>
            {stereo.level_difference_db !== null && (
              <>
                <dt className="text-pencil">right − left</dt>
                <dd className="text-right font-semibold">{signedFigure(stereo.level_difference_db, 1)} dB</dd>
              </>
            )}
            <dt className="text-pencil">mono loses</dt>
            <dd className="text-right">
              <Verdict verdict={stereo.verdict}>{`${figure(stereo.mono_loss_db)} dB`}</Verdict>
            </dd>
            {stereo.bands
              .filter((band) => band.verdict !== 'good')
              .map((band) => (
                <div key={band.name} className="contents">
                  <dt className="pl-3 text-pencil">{band.name}</dt>
                  <dd className="text-right">
                    <Verdict verdict={band.verdict}>{`${figure(band.mono_loss_db!)} dB`}</Verdict>
                  </dd>
                </div>
              ))}
          </dl>
        </div>
      ) : (
        <>
          {sum && <SumByBand sum={sum} />}
          <p className="text-pencil">
            {image === 'mono'
              ? 'All mics in the middle. Heard as left and right, a pair shows its image here.'
              : 'Left and right are one: nothing spreads.'}
          </p>
        </>
      )}
      {image === 'mid and side' && (
        <Slider
          short
          label="Width"
          value={trial.blend.width ?? 1}
          from={0}
          to={2}
          step={0.1}
          digits={1}
          onChange={(width) => trials.setBlend(trial, { ...trial.blend, width })}
        />
      )}
    </div>
  )
}

/** What the microphones gain or lose in each band when they are added up, as they are heard. */
function SumByBand({ sum }: { sum: SumOf }) {
  return (
    <dl className="grid grid-cols-[auto_1fr_auto] items-center gap-x-3 gap-y-1 pt-1">
      {BANDS.map((name) => {
        const db = sum.named_db[name] ?? null
        const verdict = sum.named_verdicts[name] ?? 'good'
        return (
          <div key={name} className="contents">
            <dt>{name}</dt>
            <dd>
              <svg viewBox="0 0 120 14" className="block h-3.5 w-full" preserveAspectRatio="none" aria-hidden>
                <path d="M0 7 H120" stroke="var(--rule)" strokeWidth="2" />
                {db !== null && (
                  <rect
                    x={db < 0 ? 90 + Math.max(-90, db * 7.5) : 90}
                    y="2"
                    width={Math.min(90, Math.abs(db) * 7.5)}
                    height="10"
                    fill={verdict === 'good' ? 'var(--ink)' : 'var(--mic)'}
                  />
                )}
                <path d="M90 0 V14" stroke="var(--ink)" />
              </svg>
            </dd>
            <dd className="text-right whitespace-nowrap">
              {db === null ? '–' : <Verdict verdict={verdict}>{`${signedFigure(db, 1)} dB`}</Verdict>}
            </dd>
          </div>
        )
      })}
    </dl>
  )
}

function Goniometer({ points }: { points: TrialReport['points'] }) {
  const half = SIZE / 2
  return (
    <svg width={SIZE} height={SIZE} role="img" aria-label="Goniometer: mid upwards, side across" className="shrink-0">
      <path
        d={`M${half} 6 L${SIZE - 6} ${half} L${half} ${SIZE - 6} L6 ${half} Z M6 ${half} H${SIZE - 6} M${half} 6 V${SIZE - 6}`}
        fill="none"
        stroke="var(--rule)"
        strokeWidth="1.5"
      />
      <text x="10" y="22" fontSize="12" fill="var(--pencil)">
        L
      </text>
      <text x={SIZE - 18} y="22" fontSize="12" fill="var(--pencil)">
        R
      </text>
      {points.map(([side, mid], index) => (
        <circle key={index} cx={half + side! * (half - 8)} cy={half - mid! * (half - 8)} r="1.1" fill="var(--mic)" />
      ))}
    </svg>
  )
}

const signedFigure = (value: number, digits: number) => `${value > 0 ? '+' : ''}${figure(value, digits)}`
