import { scaleLinear, scaleLog } from 'd3-scale'
import { useWidth } from '../../shell/useSize'
import { figure, signed } from '../../ui/format'

const HEIGHT = 96
const MOST_DB = 12
const MARKS: [number, string][] = [
  [100, '100'],
  [250, '250'],
  [500, '500'],
  [1000, '1k'],
  [2000, '2k'],
  [4000, '4k'],
  [8000, '8k Hz'],
]

interface SpectrumApartProps {
  bandsHz: number[]
  /** The tone's thirds of an octave against those of what it is compared with. */
  thirdsDb: number[]
  against: string
  /** Null where one of both is silent; undefined until it was measured. */
  apartDb: number | null | undefined
  onMatch: (what: 'balance' | 'drive') => void
}

/** Where the tone has more, and where it has less, than what it is held against; their loudness aside. */
export function SpectrumApart({ bandsHz, thirdsDb, against, apartDb, onMatch }: SpectrumApartProps) {
  const [width, box] = useWidth<HTMLElement>()
  const x = scaleLog()
    .domain([70, 9000])
    .range([26, Math.max(120, width) - 8])
  const y = scaleLinear()
    .domain([-MOST_DB, MOST_DB])
    .range([HEIGHT - 18, 4])
    .clamp(true)
  const bar = Math.max(3, (x(1259) - x(1000)) * 0.66)
  return (
    <figure ref={box} className="min-w-0" aria-label={`The tone against ${against}`}>
      <figcaption className="flex items-baseline justify-between gap-3 text-[13px]">
        <span className="min-w-0 truncate">
          against <b>{against}</b>
        </span>
        <span className="whitespace-nowrap text-pencil">
          {apartDb != null && (
            <>
              match{' '}
              <button className="text-ink underline underline-offset-4" onClick={() => onMatch('balance')}>
                balance
              </button>
              {', '}
              <button className="text-ink underline underline-offset-4" onClick={() => onMatch('drive')}>
                drive
              </button>
              {' · '}
            </>
          )}
          {apartDb === undefined ? 'measuring…' : apartDb === null ? 'silent' : `${figure(apartDb)} dB apart`}
        </span>
      </figcaption>
      <svg width={Math.max(120, width)} height={HEIGHT} role="img" aria-label="difference in thirds of an octave, dB">
        {[-6, 0, 6].map((db) => (
          <g key={db}>
            <path d={`M26 ${y(db)} H${width - 8}`} stroke={db ? 'var(--rule)' : 'var(--ink)'} />
            <text x="22" y={y(db) + 3.5} fontSize="10.5" textAnchor="end" fill="var(--pencil)">
              {signed(db)}
            </text>
          </g>
        ))}
        {MARKS.map(([hz, label]) => (
          <text
            key={label}
            x={x(hz)}
            y={HEIGHT - 3}
            fontSize="10.5"
            textAnchor={hz === 8000 ? 'end' : 'middle'}
            dx={hz === 8000 ? 14 : 0}
            fill="var(--pencil)"
          >
            {label}
          </text>
        ))}
        {bandsHz.map((hz, index) => {
          const db = thirdsDb[index] ?? 0
          const [top, bottom] = [Math.min(y(db), y(0)), Math.max(y(db), y(0))]
          return (
            <rect key={hz} x={x(hz) - bar / 2} y={top} width={bar} height={Math.max(1, bottom - top)} fill="var(--sim)">
              <title>{`${Math.round(hz)} Hz: ${signed(db, 1)} dB`}</title>
            </rect>
          )
        })}
      </svg>
    </figure>
  )
}
