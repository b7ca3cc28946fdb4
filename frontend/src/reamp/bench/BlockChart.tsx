import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import type { Curve } from '../../api/client'

const HEIGHT = 84
const FREQUENCIES: [number, string][] = [
  [100, '100'],
  [1000, '1k'],
  [10000, '10k Hz'],
]

/** What a block does, as the core computed it: its response over frequency, or what it gives over what it gets. */
export function BlockChart({ curve, width }: { curve: Curve; width: number }) {
  const frequency = curve.axis === 'frequency'
  const xs = curve.x
  const x = (frequency ? scaleLog() : scaleLinear()).domain([xs[0]!, xs.at(-1)!]).range([0, width])
  const top = Math.max(...curve.y)
  const bottom = frequency ? Math.min(top - 24, Math.max(Math.min(...curve.y), top - 48)) : Math.min(...curve.y)
  const y = scaleLinear()
    .domain([bottom, top])
    .range([HEIGHT - 17, 5])
  const path =
    line<number>(
      (_, index) => x(xs[index]!),
      (value) => y(Math.max(bottom, value)),
    )(curve.y) ?? ''
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
      aria-label={`${curve.title}: ${frequency ? 'gain over frequency' : 'output over input'}`}
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
        {Math.round(top - bottom)} dB
      </text>
      <path d={path} fill="none" stroke="var(--sim)" strokeWidth="2.4" strokeLinejoin="round" />
    </svg>
  )
}
