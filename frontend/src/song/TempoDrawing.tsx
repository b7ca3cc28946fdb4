import { scaleLinear } from 'd3-scale'
import type { Session } from '../api/client'
import { useWidth } from '../shell/useSize'

const TOP = 20
const LINE = 96
const HEIGHT = 178

/** The whole tempo map over the whole song: bars along, beats a minute up, meters and sections beneath. */
export function TempoDrawing({
  session,
  chosenBar,
  onBar,
}: {
  session: Session
  chosenBar: number | null
  onBar: (bar: number) => void
}) {
  const [width, box] = useWidth<HTMLDivElement>()
  const bars = session.song_bars
  const paces = session.bar_bpm
  const [low, high] = [Math.min(...paces), Math.max(...paces)]
  const room = Math.max(6, (high - low) * 0.25)
  const x = scaleLinear()
    .domain([1, bars + 1])
    .range([44, Math.max(60, width - 14)])
  const y = scaleLinear()
    .domain([low - room, high + room])
    .range([LINE, TOP])
  // A step is a corner, a ramp a line; each bar begins at its own tempo.
  const line = session.tempos
    .map((change, index) => {
      const next = session.tempos[index + 1]
      const end = next?.bar ?? bars + 1
      const inside = []
      for (let bar = change.bar; bar <= Math.min(end, bars + 1); bar++)
        inside.push(
          `${x(bar)} ${y(bar === end && !change.ramp ? change.bpm : bar === end && next ? next.bpm : change.ramp ? paces[bar - 1]! : change.bpm)}`,
        )
      return `${index ? 'L' : 'M'}${inside.join('L')}`
    })
    .join('')
  const every = bars > 120 ? 16 : bars > 60 ? 8 : 4

  return (
    <div ref={box}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Tempo map: ${session.tempo_words} over ${bars} bars`}
        className="block cursor-crosshair"
        onClick={(event) => {
          const from = event.currentTarget.getBoundingClientRect().left
          onBar(Math.max(1, Math.min(bars, Math.floor(x.invert(event.clientX - from)))))
        }}
      >
        {session.sections.map((section) => (
          <g key={section.id}>
            <rect
              x={x(section.first_bar)}
              y={TOP - 8}
              width={x(section.first_bar + section.bars) - x(section.first_bar)}
              height={LINE - TOP + 18}
              fill="var(--sheet)"
              stroke="var(--rule)"
            />
            <path
              d={`M${x(section.first_bar) + 2} 132 v6 H${x(section.first_bar + section.bars) - 2} v-6`}
              fill="none"
              stroke="var(--ink)"
              strokeWidth="1.4"
            />
            <text
              fill="var(--ink)"
              x={(x(section.first_bar) + x(section.first_bar + section.bars)) / 2}
              y="155"
              textAnchor="middle"
              fontSize="14"
              fontWeight="600"
            >
              {clipped(section.name, x(section.first_bar + section.bars) - x(section.first_bar))}
            </text>
          </g>
        ))}
        {chosenBar !== null && (
          <rect
            x={x(chosenBar)}
            y={TOP - 8}
            width={x(chosenBar + 1) - x(chosenBar)}
            height={LINE - TOP + 18}
            fill="var(--wash)"
          />
        )}
        {Array.from({ length: bars }, (_, index) => index + 1)
          .filter((bar) => (bar - 1) % every === 0)
          .map((bar) => (
            <g key={bar}>
              <path d={`M${x(bar)} ${LINE + 10} v5`} stroke="var(--pencil)" />
              <text x={x(bar) + 2} y={LINE + 27} fontSize="12" fill="var(--pencil)">
                {bar}
              </text>
            </g>
          ))}
        <path d={`M44 ${LINE + 10} H${Math.max(60, width - 14)}`} stroke="var(--ink)" />
        <path d={line} fill="none" stroke="var(--ink)" strokeWidth="3" strokeLinejoin="round" />
        {session.tempos.map((change, index) => (
          <g key={change.bar}>
            <circle
              cx={x(change.bar)}
              cy={y(change.bpm)}
              r="4"
              fill="var(--paper)"
              stroke="var(--ink)"
              strokeWidth="2"
            />
            {(index === 0 || x(change.bar) - x(session.tempos[index - 1]!.bar) > 56) && (
              <text fill="var(--ink)" x={x(change.bar) + 7} y={y(change.bpm) - 7} fontSize="13.5" fontWeight="600">
                {change.says.includes('/') ? change.bpm.toFixed(2) : change.says}
                {change.ramp ? ' moving' : ''}
              </text>
            )}
          </g>
        ))}
        {session.meters.map((meter) => (
          <text key={meter.bar} x={x(meter.bar) + 2} y={LINE + 4} fontSize="12.5" fill="var(--pencil)">
            {meter.beats}/{meter.unit}
          </text>
        ))}
        {session.questions.map((question) => (
          <text
            key={`${question.kind}${question.bar}`}
            x={x(question.bar) + 7}
            y={y(paces[question.bar - 1]!) > (TOP + LINE) / 2 ? TOP + 8 : LINE - 10}
            fontSize="13"
            fontWeight="600"
            fill="var(--mic)"
          >
            ~ is it meant?
          </text>
        ))}
        <text x="2" y={TOP + 4} fontSize="12" fill="var(--pencil)">
          beats
        </text>
        <text x="2" y={TOP + 18} fontSize="12" fill="var(--pencil)">
          a min
        </text>
        <text x="2" y={LINE + 27} fontSize="12" fill="var(--pencil)">
          bar
        </text>
      </svg>
    </div>
  )
}

function clipped(name: string, width: number) {
  const room = Math.floor(width / 7.5)
  return name.length <= room ? name : room > 2 ? `${name.slice(0, room - 1)}…` : ''
}
