import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import type { Curve } from '../../api/client'

const HEIGHT = 84
const FREQUENCIES: [number, string][] = [
  [100, '100'],
  [1000, '1k'],
  [10000, '10k Hz'],
]

const DRAWN: Record<Curve['axis'], string> = {
  frequency: 'gain over frequency',
  level: 'output over input',
  time: 'over time',
  echoes: 'what a click becomes',
  none: '',
}

const said = (range: number) => (range < 10 ? range.toFixed(1) : String(Math.round(range)))

/** What a block does, as the core computed it: its response over frequency, what it gives over what it gets, its echoes. */
export function BlockChart({ curve, width }: { curve: Curve; width: number }) {
  const frequency = curve.axis === 'frequency'
  const echoes = curve.axis === 'echoes'
  const xs = curve.x
  const x = (frequency ? scaleLog() : scaleLinear()).domain([xs[0]!, xs.at(-1)!]).range([0, width])
  const top = Math.max(...curve.y)
  const least = Math.min(...curve.y)
  // Over frequency half the height is 12 dB at least; what does not change at all stands in the middle.
  const bottom = frequency ? Math.min(top - 24, Math.max(least, top - 48)) : echoes ? -60 : Math.min(least, top - 0.5)
  const y = scaleLinear()
    .domain([bottom, top])
    .range([HEIGHT - 17, 5])
  const path = echoes
    ? ''
    : (line<number>(
        (_, index) => x(xs[index]!),
        (value) => y(Math.max(bottom, value)),
      )(curve.y) ?? '')
  const marks: [number, string][] = frequency
    ? FREQUENCIES.filter(([hz]) => hz !== 1000 || width > 130)
    : [
        [xs[0]!, `${Math.round(xs[0]!)}`.replace('-', '−')],
        [xs.at(-1)!, `${Math.round(xs.at(-1)!)} ${curve.x_unit}`.replace('-', '−')],
      ]
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      className="shrink-0"
      aria-label={`${curve.title}: ${DRAWN[curve.axis]}`}
    >
      <path d={`M0 ${HEIGHT - 16} H${width} M0.5 0 V${HEIGHT - 16}`} stroke="var(--rule)" fill="none" />
      {marks.map(([value, label], index) => (
        <g key={label}>
          <path d={`M${x(value)} ${HEIGHT - 16} v4`} stroke="var(--pencil)" />
          <text
            x={x(value)}
            y={HEIGHT - 2}
            fontSize="10.5"
            fill="var(--pencil)"
            textAnchor={index === marks.length - 1 ? 'end' : index === 0 && !frequency ? 'start' : 'middle'}
          >
            {label}
          </text>
        </g>
      ))}
      <text x="5" y={frequency ? HEIGHT - 21 : 10} fontSize="10.5" fill="var(--pencil)">
        {said(top - bottom)} {curve.y_unit}
      </text>
      {echoes &&
        curve.y.map((db, index) => (
          <path
            key={index}
            d={`M${x(xs[index]!) + 1} ${HEIGHT - 17} V${y(Math.max(bottom, db))}`}
            stroke="var(--sim)"
            strokeWidth="2.4"
          />
        ))}
      <path d={path} fill="none" stroke="var(--sim)" strokeWidth="2.4" strokeLinejoin="round" />
    </svg>
  )
}
