import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import type { Curve } from '../api/client'
import { useWidth } from '../shell/useSize'

const HEIGHT = 84
const FREQUENCIES: [number, string][] = [
  [100, '100'],
  [1000, '1k'],
  [10000, '10k Hz'],
]

/** One block: its name, its curve on labelled axes, and what is set. */
export function BlockCurve({ block }: { block: Curve }) {
  const [width, box] = useWidth<HTMLElement>()
  const inner = Math.max(40, width - 22)
  return (
    <article ref={box} className="relative flex min-w-0 flex-col border border-rule bg-sheet px-2.5 pt-2.5 pb-2">
      <h3 className="truncate text-[15.5px] leading-5">{block.title}</h3>
      {block.axis !== 'none' && <Chart block={block} width={inner} />}
      <dl className={`grid gap-y-0.5 overflow-hidden text-[13px] ${block.axis === 'none' ? 'mt-[88px]' : 'mt-1'}`}>
        {block.values.map(({ label, value }, index) => (
          <div key={index} className="flex min-w-0 justify-between gap-1.5">
            <dt className="min-w-0 truncate">{label}</dt>
            <dd className="font-semibold whitespace-nowrap">{value}</dd>
          </div>
        ))}
      </dl>
    </article>
  )
}

function Chart({ block, width }: { block: Curve; width: number }) {
  const frequency = block.axis === 'frequency'
  const xs = block.x
  const x = (frequency ? scaleLog() : scaleLinear()).domain([xs[0]!, xs.at(-1)!]).range([0, width])
  const top = Math.max(...block.y)
  const bottom = frequency ? Math.min(top - 24, Math.max(Math.min(...block.y), top - 48)) : Math.min(...block.y)
  const y = scaleLinear()
    .domain([bottom, top])
    .range([HEIGHT - 17, 5])
  const path =
    line<number>(
      (_, index) => x(xs[index]!),
      (value) => y(Math.max(bottom, value)),
    )(block.y) ?? ''
  const marks: [number, string][] = frequency
    ? FREQUENCIES.filter(([hz]) => hz !== 1000 || width > 150)
    : [
        [xs[0]!, `${Math.round(xs[0]!)}`.replace('-', '−')],
        [xs.at(-1)!, `${Math.round(xs.at(-1)!)} ${block.x_unit}`.replace('-', '−')],
      ]
  return (
    <svg
      width={width}
      height={HEIGHT}
      role="img"
      aria-label={`${block.title}: ${frequency ? 'gain over frequency' : 'output over input'}`}
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
