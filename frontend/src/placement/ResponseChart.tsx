import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import { useState } from 'react'
import { useWidth } from '../shell/useSize'
import { figure } from '../ui/format'

const LEFT = 34
const BOTTOM = 24
const TOP = 22
const MARKS: [number, string][] = [
  [63, '63'],
  [125, '125'],
  [250, '250'],
  [500, '500'],
  [1000, '1k'],
  [2000, '2k'],
  [4000, '4k'],
  [8000, '8k'],
  [16000, '16k'],
]

export interface ChartLine {
  name: string
  hz: readonly number[]
  db: readonly (number | null)[]
  /** How a line looks that stands for nothing else: thin dashes for one microphone, ink for the sum. */
  look: 'dots' | 'dashes' | 'both' | 'ink'
  /** How far each point can be off. */
  offDb?: readonly (number | null)[]
}

/** Lines over logarithmic frequency with the named bands; the value under the pointer is told. */
export function ResponseChart({
  lines,
  bands,
  notchesHz = [],
  height,
  lowest,
  highest,
  label,
}: {
  lines: ChartLine[]
  bands: Record<string, readonly number[]>
  notchesHz?: readonly number[]
  height: number
  lowest: number
  highest: number
  label: string
}) {
  const [width, box] = useWidth<HTMLDivElement>()
  const [pointed, setPointed] = useState<number | null>(null)
  const x = scaleLog()
    .domain([45, 17_000])
    .range([LEFT, Math.max(LEFT + 50, width - 10)])
  const y = scaleLinear()
    .domain([lowest, highest])
    .range([height - BOTTOM, TOP])
    .clamp(true)
  const step = highest - lowest > 24 ? 6 : 3
  const ticks: number[] = []
  for (let tick = Math.ceil(lowest / step) * step; tick <= highest; tick += step) ticks.push(tick)
  return (
    <div ref={box} className="relative">
      {width > 0 && (
        <svg
          width={width}
          height={height}
          role="img"
          aria-label={label}
          className="block"
          onPointerMove={(event) => {
            const at = x.invert(event.clientX - event.currentTarget.getBoundingClientRect().left)
            setPointed(at > 45 && at < 17_000 ? at : null)
          }}
          onPointerLeave={() => setPointed(null)}
        >
          {Object.entries(bands).map(([name, [from, to]]) => (
            <g key={name}>
              <title>{`${name}: ${from} to ${to} Hz`}</title>
              <rect
                x={x(from!)}
                y={TOP}
                width={x(to!) - x(from!) - 2}
                height={height - BOTTOM - TOP}
                fill="var(--wash)"
                opacity="0.6"
              />
              <text x={(x(from!) + x(to!)) / 2} y={14} fontSize="12.5" fill="var(--pencil)" textAnchor="middle">
                {name}
              </text>
            </g>
          ))}
          {ticks.map((tick) => (
            <g key={tick}>
              <path d={`M${LEFT} ${y(tick)} H${width - 10}`} stroke={tick === 0 ? 'var(--faint)' : 'var(--rule)'} />
              <text x={LEFT - 6} y={y(tick) + 4} fontSize="11.5" fill="var(--pencil)" textAnchor="end">
                {tick > 0 ? `+${tick}` : figure(tick, 0)}
              </text>
            </g>
          ))}
          {MARKS.map(([hz, name]) => (
            <text key={hz} x={x(hz)} y={height - 7} fontSize="11.5" fill="var(--pencil)" textAnchor="middle">
              {name}
            </text>
          ))}
          {notchesHz
            .filter((hz) => hz > 45 && hz < 17_000)
            .slice(0, 3)
            .map((hz) => (
              <path
                key={hz}
                d={`M${x(hz)} ${TOP} V${height - BOTTOM}`}
                stroke="var(--mic)"
                strokeDasharray="1 5"
                strokeWidth="1.6"
              />
            ))}
          {lines.map((entry) => (
            <Line key={entry.name} entry={entry} x={x} y={y} />
          ))}
          <Names lines={lines} x={x} y={y} />
          {pointed !== null && (
            <g pointerEvents="none">
              <path d={`M${x(pointed)} ${TOP} V${height - BOTTOM}`} stroke="var(--ink)" />
              <text
                x={x(pointed) > width - 150 ? x(pointed) - 6 : x(pointed) + 6}
                y={height - BOTTOM - 6}
                fontSize="12"
                fontWeight="600"
                fill="var(--ink)"
                textAnchor={x(pointed) > width - 150 ? 'end' : 'start'}
              >
                {pointed >= 1000 ? `${figure(pointed / 1000)} kHz` : `${Math.round(pointed)} Hz`}
                {lines.map((entry) => {
                  const db = near(entry, pointed)
                  return db === null ? '' : `  ${entry.name} ${figure(db)}`
                })}
              </text>
            </g>
          )}
        </svg>
      )}
    </div>
  )
}

const LOOKS = {
  dots: { stroke: 'var(--mic)', strokeWidth: 1.8, strokeDasharray: '1.5 4' },
  dashes: { stroke: 'var(--mic)', strokeWidth: 1.8, strokeDasharray: '7 4' },
  both: { stroke: 'var(--mic)', strokeWidth: 1.8, strokeDasharray: '8 3 1.5 3' },
  ink: { stroke: 'var(--ink)', strokeWidth: 2.6 },
}

type Scale = (value: number) => number

function Line({ entry, x, y }: { entry: ChartLine; x: Scale; y: Scale }) {
  const points = entry.hz.flatMap((hz, index) => {
    const db = entry.db[index]
    const off = entry.offDb?.[index] ?? 0
    return db === null || db === undefined || hz < 45 || hz > 17_000 ? [] : [{ hz, db, off }]
  })
  const path = line<{ hz: number; db: number }>(
    ({ hz }) => x(hz),
    ({ db }) => y(db),
  )(points)
  if (!path) return null
  const edge = [
    ...points.map(({ hz, db, off }) => `${x(hz)} ${y(db + off)}`),
    ...[...points].reverse().map(({ hz, db, off }) => `${x(hz)} ${y(db - off)}`),
  ]
  return (
    <g fill="none" strokeLinejoin="round" strokeLinecap="round">
      {entry.offDb && <path d={`M${edge.join('L')}Z`} fill="var(--faint)" opacity="0.35" />}
      <path d={path} {...LOOKS[entry.look]} />
    </g>
  )
}

/** Each line's name beside it, where it is farthest from the others. */
function Names({ lines, x, y }: { lines: ChartLine[]; x: Scale; y: Scale }) {
  const shown = lines.filter((entry) => entry.look !== 'ink' || lines.length === 1)
  return shown.map((entry, index) => {
    const hz = [180, 3_300, 700, 90, 1_600, 6_000][index % 6]!
    const db = near(entry, hz)
    return db === null ? null : (
      <text
        key={entry.name}
        x={x(hz)}
        y={y(db) - 7}
        fontSize="13"
        fontWeight="700"
        fill="var(--mic)"
        textAnchor="middle"
      >
        {entry.name.replace(/^mic /, '')}
      </text>
    )
  })
}

function near(entry: ChartLine, hz: number): number | null {
  let found: number | null = null
  let least = Infinity
  entry.hz.forEach((at, index) => {
    const away = Math.abs(Math.log(at / hz))
    const db = entry.db[index]
    if (away < least && db !== null && db !== undefined) [least, found] = [away, db]
  })
  return found
}
