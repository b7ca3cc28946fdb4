import { scaleLinear } from 'd3-scale'
import { useLive } from '../../api/live'
import { useWidth } from '../../shell/useSize'
import { figure } from '../../ui/format'
import { CheckFrame } from './CheckFrame'
import type { CheckPanelProps } from './panelProps'

/** What the server keeps of it; levels are null where there is only silence. */
interface TuningResult {
  reference_pitch_hz: number
  strings: { string: number; note: string; target_hz: number; cents: number | null; drift_cents: number | null }[]
}

/** The tuner: finds the string by itself and is read from across the room. */
export function TunerPanel({ check, acts, view }: CheckPanelProps) {
  const { rig, open_notes: notes } = view
  const listening = useLive((live) => live.listening)
  const found = check?.result as TuningResult | undefined
  const retuned = rig.string_offsets_cents?.some((cents) => cents !== 0)
  const on = listening?.kind === 'tuning'

  return (
    <CheckFrame
      kind="tuning"
      title="Tuner"
      says={
        retuned
          ? `Strings are aimed at what the chords want: ${rig.string_offsets_cents.map((cents) => figure(cents)).join(' ')} cents.`
          : 'Pluck one string after the other, and let each ring.'
      }
      button="Tune"
      check={check}
      acts={acts}
    >
      {on ? (
        <Needle notes={notes} />
      ) : found ? (
        <ol className="flex flex-wrap gap-3">
          {found.strings.map((string) => (
            <li key={string.string} className="min-w-[104px] border border-rule bg-sheet px-3.5 py-2.5">
              <span className="font-name text-[22px] leading-none font-bold">{string.note}</span>
              <span
                className={`block text-[17px] ${string.cents !== null && Math.abs(string.cents) > 5 ? 'font-semibold text-mic' : ''}`}
              >
                {string.cents === null ? 'not heard' : `${string.cents > 0 ? '+' : ''}${figure(string.cents)} cents`}
              </span>
              <span className="block text-[12.5px] text-pencil">
                {string.target_hz.toFixed(2)} Hz
                {string.drift_cents !== null &&
                  string.drift_cents > 0.5 &&
                  `, begins ${figure(string.drift_cents)} sharp`}
              </span>
            </li>
          ))}
        </ol>
      ) : null}
      {retuned && !on && (
        <button className="mt-3 text-[13.5px] underline underline-offset-4" onClick={() => void acts.retune([])}>
          Aim at equal temperament again
        </button>
      )}
    </CheckFrame>
  )
}

/** Drawn with every reading, thirty times a second, and by itself. */
function Needle({ notes }: { notes: string[] }) {
  const pitch = useLive((live) => live.pitch)
  const [width, box] = useWidth<HTMLDivElement>()
  const cents = pitch?.cents ?? null
  const x = scaleLinear()
    .domain([-50, 50])
    .range([20, Math.max(60, width - 20)])
    .clamp(true)
  const word =
    cents === null
      ? 'pluck a string'
      : Math.abs(cents) <= 2
        ? '✓ in tune'
        : cents > 0
          ? 'too high: let it down'
          : 'too low: tighten it'
  return (
    <div ref={box} aria-live="off">
      <div className="flex items-baseline gap-8">
        <p className="w-[240px] font-name text-[124px] leading-[0.95] font-extrabold">{pitch?.note ?? '–'}</p>
        <p className="font-name text-[56px] leading-none font-bold">
          {cents === null ? '' : `${cents > 0 ? '+' : ''}${figure(cents)}`}
          <span className="ml-2 text-[20px] font-medium text-pencil">{cents === null ? '' : 'cents'}</span>
        </p>
        <p className="text-[26px]">{word}</p>
        <p className="ml-auto text-right text-[14px] text-pencil">
          {pitch?.string !== null &&
            pitch?.string !== undefined &&
            `string ${notes.length - pitch.string} of ${notes.length}`}
          <span className="block">{pitch?.frequency_hz ? `${pitch.frequency_hz.toFixed(2)} Hz` : ''}</span>
        </p>
      </div>
      <svg
        width={width}
        height="84"
        role="img"
        aria-label={cents === null ? 'No string is heard' : `${pitch!.note}, ${figure(cents)} cents`}
      >
        <rect x={x(-2)} y="8" width={x(2) - x(-2)} height="46" fill="var(--wash)" />
        <path d={`M20 54 H${width - 20}`} stroke="var(--ink)" strokeWidth="1.6" />
        {x.ticks(20).map((tick) => (
          <g key={tick}>
            <path d={`M${x(tick)} 54 v${tick % 10 ? 5 : 9}`} stroke="var(--ink)" />
            {tick % 10 === 0 && (
              <text x={x(tick)} y="80" fontSize="13" textAnchor="middle" fill="var(--pencil)">
                {tick > 0 ? `+${tick}` : `${tick}`.replace('-', '−')}
              </text>
            )}
          </g>
        ))}
        {cents !== null && (
          <>
            {pitch?.drift_cents !== null && pitch?.drift_cents !== undefined && Math.abs(pitch.drift_cents) > 0.3 && (
              <path
                d={`M${x(cents + pitch.drift_cents)} 30 H${x(cents)}`}
                stroke="var(--pencil)"
                strokeWidth="2"
                strokeDasharray="3 3"
              />
            )}
            <path d={`M${x(cents)} 56 V10`} stroke="var(--di)" strokeWidth="7" strokeLinecap="round" />
          </>
        )}
      </svg>
      <p className="text-[13px] text-pencil">
        {pitch?.drift_cents != null && Math.abs(pitch.drift_cents) >= 0.3
          ? `The note began ${figure(Math.abs(pitch.drift_cents))} cents ${pitch.drift_cents >= 0 ? 'sharper' : 'flatter'} than it is now.`
          : 'Shaded: within 2 cents.'}
      </p>
    </div>
  )
}
