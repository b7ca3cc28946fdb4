import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import { useState } from 'react'
import type { RigView } from '../api/client'
import { figure } from '../ui/format'

const WIDTH = 390
const HEIGHT = 214
const [LEFT, RIGHT, TOP, BOTTOM] = [36, 10, 30, 40]
const OCTAVES: [number, string][] = [
  [63, '63'],
  [250, '250'],
  [1000, '1k'],
  [4000, '4k'],
  [16000, '16k Hz'],
]

/** The pickup's response under its load, against a short cable into 1 MΩ. */
export function LoadCurve({ view }: { view: RigView }) {
  const { curve } = view
  const [pointed, setPointed] = useState<number | null>(null)
  const x = scaleLog()
    .domain([40, 16000])
    .range([LEFT, WIDTH - RIGHT])
  const top = Math.max(12, Math.ceil(Math.max(...curve.gain_db, ...curve.unloaded_db) / 6) * 6)
  const y = scaleLinear()
    .domain([top - 36, top])
    .range([HEIGHT - BOTTOM, TOP])
    .clamp(true)
  const drawn = line<number>(
    (_, index) => x(curve.frequency_hz[index]!),
    (gain) => y(gain),
  )
  const near =
    pointed === null
      ? null
      : curve.frequency_hz.reduce(
          (best, hz, index) =>
            Math.abs(Math.log(hz / pointed)) < Math.abs(Math.log(curve.frequency_hz[best]! / pointed)) ? index : best,
          0,
        )

  return (
    <figure className="self-start border border-rule bg-sheet px-3 pt-2 pb-2">
      <figcaption className="text-[14px]">
        <b>
          Pickup into{' '}
          {curve.load_ohm >= 1e6
            ? `${(curve.load_ohm / 1e6).toFixed(1)} MΩ`
            : `${Math.round(curve.load_ohm / 1000)} kΩ`}
        </b>{' '}
        <span className="text-pencil">and {Math.round(curve.cable_farad * 1e12)} pF of cable</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block w-full"
        role="img"
        aria-label={`Response of the pickup: ${curve.resonance_hz ? `resonance at ${Math.round(curve.resonance_hz)} Hz, ` : ''}highest ${figure(curve.peak_db)} dB`}
        onPointerMove={(event) => {
          const box = event.currentTarget.getBoundingClientRect()
          setPointed(x.invert(((event.clientX - box.left) / box.width) * WIDTH))
        }}
        onPointerLeave={() => setPointed(null)}
      >
        {y.ticks(6).map((mark) => (
          <g key={mark}>
            <path d={`M${LEFT} ${y(mark)} H${WIDTH - RIGHT}`} stroke="var(--rule)" />
            <text x={LEFT - 6} y={y(mark) + 4} fontSize="11.5" fill="var(--pencil)" textAnchor="end">
              {`${mark}`.replace('-', '−')}
            </text>
          </g>
        ))}
        {OCTAVES.map(([hz, label], index) => (
          <g key={hz}>
            <path d={`M${x(hz)} ${HEIGHT - BOTTOM} v5`} stroke="var(--pencil)" />
            <text
              x={x(hz)}
              y={HEIGHT - BOTTOM + 18}
              fontSize="11.5"
              fill="var(--pencil)"
              textAnchor={index === OCTAVES.length - 1 ? 'end' : 'middle'}
            >
              {label}
            </text>
          </g>
        ))}
        <text x={LEFT} y={HEIGHT - 6} fontSize="11.5" fill="var(--pencil)">
          lows · mids · presence · air
        </text>
        <text x={4} y={TOP - 12} fontSize="11.5" fill="var(--pencil)">
          dB
        </text>
        <path
          d={drawn(curve.unloaded_db) ?? ''}
          fill="none"
          stroke="var(--faint)"
          strokeWidth="1.6"
          strokeDasharray="5 4"
        />
        <path d={drawn(curve.gain_db) ?? ''} fill="none" stroke="var(--di)" strokeWidth="2.4" />
        {curve.resonance_hz && curve.peak_db > 1 && (
          <text
            fill="var(--ink)"
            x={x(curve.resonance_hz) - 8}
            y={y(curve.peak_db) - 5}
            fontSize="12.5"
            fontWeight="600"
            textAnchor="end"
          >
            {figure(curve.peak_db)} dB at {(curve.resonance_hz / 1000).toFixed(1)} kHz
          </text>
        )}
        <text x={x(60)} y={y(curve.unloaded_db[10] ?? 0) + 18} fontSize="12" fill="var(--pencil)">
          dashed: a short cable into 1 MΩ
        </text>
        {near !== null && (
          <g>
            <path
              d={`M${x(curve.frequency_hz[near]!)} ${TOP} V${HEIGHT - BOTTOM}`}
              stroke="var(--ink)"
              strokeWidth="0.8"
            />
            <text fill="var(--ink)" x={WIDTH - RIGHT} y={TOP - 12} fontSize="12" textAnchor="end">
              {Math.round(curve.frequency_hz[near]!)} Hz: {figure(curve.gain_db[near]!)} dB
            </text>
          </g>
        )}
      </svg>
    </figure>
  )
}
