import { useMemo, useRef } from 'react'
import type { JoinCloseUp } from '../api/client'
import { INK } from '../ui/Glyph'

const NAMES = 74
const BELOW = 22
/** So long is a crossfade at least and at most, in milliseconds. */
export const [LEAST_MS, MOST_MS] = [1, 80]
/** So near a line the pointer takes it. */
const GRIP = 9

interface Place {
  frame: number
  ms: number
}

/** Both takes on every channel, the one that ends above the one that begins, and between them the gains of the fade. */
export function JoinDrawing({
  join,
  now,
  width,
  height,
  rateHz,
  onDrag,
  onSet,
}: {
  join: JoinCloseUp
  now: Place
  width: number
  height: number
  rateHz: number
  onDrag: (to: Place) => void
  onSet: (to: Place) => void
}) {
  const svg = useRef<SVGSVGElement>(null)
  const grip = useRef<'middle' | 'edge' | null>(null)
  const row = (height - BELOW) / join.channels.length
  const span = join.to_frame - join.from_frame
  const right = width - 6
  const xOf = (frame: number) => NAMES + ((frame - join.from_frame) / span) * (right - NAMES)
  const frameAt = (clientX: number) => {
    const box = svg.current!.getBoundingClientRect()
    return join.from_frame + ((clientX - box.left - NAMES) / (right - NAMES)) * span
  }
  const half = (now.ms * rateHz) / 2000
  const [from, to, middle] = [xOf(now.frame - half), xOf(now.frame + half), xOf(now.frame)]
  const [first, last] = [
    xOf(Math.max(join.from_frame, join.first_frame)),
    xOf(Math.min(join.to_frame, join.last_frame)),
  ]

  function meant(clientX: number): Place {
    const at = frameAt(clientX)
    if (grip.current === 'edge')
      return { frame: now.frame, ms: Math.max(LEAST_MS, Math.min(MOST_MS, (2000 * Math.abs(at - now.frame)) / rateHz)) }
    return { frame: Math.max(join.first_frame + half, Math.min(join.last_frame - half, at)), ms: now.ms }
  }

  return (
    <svg
      ref={svg}
      width={width}
      height={height}
      role="img"
      aria-label={`Crossfade of ${Math.round(now.ms)} milliseconds on ${join.channels.length} channels`}
      className="mx-2.5 shrink-0 touch-none select-none"
      onPointerDown={(event) => {
        const x = event.clientX - svg.current!.getBoundingClientRect().left
        const onEdge = Math.min(Math.abs(x - from), Math.abs(x - to)) < GRIP && Math.abs(x - middle) > GRIP / 2
        grip.current = onEdge ? 'edge' : 'middle'
        event.currentTarget.setPointerCapture(event.pointerId)
        onDrag(meant(event.clientX))
      }}
      onPointerMove={(event) => grip.current && onDrag(meant(event.clientX))}
      onPointerUp={(event) => {
        if (!grip.current) return
        const place = meant(event.clientX)
        grip.current = null
        onSet(place)
      }}
    >
      <rect x={from} y="0" width={Math.max(2, to - from)} height={height - BELOW} fill="var(--sheet)" />
      {join.channels.map((channel, index) => {
        const top = index * row
        return (
          <g key={channel.name}>
            <text x="0" y={top + row / 2 + 4} fontSize="13" fontWeight="600" fill={INK[channel.kind]}>
              {channel.name}
            </text>
            {(
              [
                ['before', 0.27],
                ['after', 0.73],
              ] as const
            ).map(([side, share]) => (
              <Side
                key={side}
                columns={channel[side]}
                x={NAMES}
                y={top + row * share}
                width={right - NAMES}
                height={row * 0.44}
                ink={INK[channel.kind]}
                until={middle}
                ends={side === 'before'}
              />
            ))}
            <Curve gains={channel.closes} from={from} to={to} top={top + row * 0.06} bottom={top + row * 0.94} />
            <Curve gains={channel.opens} from={from} to={to} top={top + row * 0.06} bottom={top + row * 0.94} opens />
            {index > 0 && <path d={`M0 ${top}H${right}`} stroke="var(--rule)" />}
          </g>
        )
      })}
      {join.others.map((other, index) => (
        <path
          key={other.frame}
          d={`M${xOf(other.frame)} ${height - BELOW + 2}v7`}
          stroke={other.look ? 'var(--mic)' : 'var(--ink)'}
          strokeWidth={index ? 1.4 : 2.6}
        >
          <title>{other.look || 'a clean place'}</title>
        </path>
      ))}
      {first > NAMES && <Beyond x={NAMES} width={first - NAMES} height={height - BELOW} />}
      {last < right && <Beyond x={last} width={right - last} height={height - BELOW} />}
      <path d={`M${middle} 0V${height - BELOW}`} stroke="var(--ink)" strokeWidth="2" className="cursor-ew-resize" />
      {[from, to].map((x, index) => (
        <path
          key={index}
          d={`M${x} 0V${height - BELOW}`}
          stroke="var(--ink)"
          strokeDasharray="3 3"
          className="cursor-ew-resize"
        />
      ))}
      <text x={NAMES} y={height - 3} fontSize="12" fill="var(--pencil)">
        −{Math.round((1000 * (now.frame - join.from_frame)) / rateHz)} ms
      </text>
      <text x={right} y={height - 3} fontSize="12" fill="var(--pencil)" textAnchor="end">
        +{Math.round((1000 * (join.to_frame - now.frame)) / rateHz)} ms
      </text>
    </svg>
  )
}

/** One side: in full where it is what sounds, faint where the other take does. */
function Side({
  columns,
  x,
  y,
  width,
  height,
  ink,
  until,
  ends,
}: {
  columns: number[]
  x: number
  y: number
  width: number
  height: number
  ink: string
  until: number
  ends: boolean
}) {
  const [heard, other] = useMemo(() => {
    const count = columns.length / 2
    const points = Array.from({ length: count }, (_, index) => ({
      x: x + (width * index) / Math.max(1, count - 1),
      top: y - Math.max(0.4, (columns[2 * index + 1]! / 127) * height * 0.5),
      bottom: y - Math.min(-0.4, (columns[2 * index]! / 127) * height * 0.5),
    }))
    const before = points.filter((point) => point.x <= until)
    const after = points.filter((point) => point.x >= until)
    return ends ? [outline(before), outline(after)] : [outline(after), outline(before)]
  }, [columns, x, y, width, height, until, ends])
  return (
    <>
      {other && <path d={other} fill="var(--faint)" opacity="0.7" />}
      {heard && <path d={heard} fill={ink} />}
    </>
  )
}

function outline(points: { x: number; top: number; bottom: number }[]) {
  if (points.length < 2) return ''
  const upper = points.map((point) => `${point.x.toFixed(1)} ${point.top.toFixed(1)}`)
  const lower = points.map((point) => `${point.x.toFixed(1)} ${point.bottom.toFixed(1)}`).reverse()
  return `M${upper.join('L')}L${lower.join('L')}Z`
}

/** The gain of one side over the fade, from bottom (0) to top (1). */
function Curve({
  gains,
  from,
  to,
  top,
  bottom,
  opens = false,
}: {
  gains: number[]
  from: number
  to: number
  top: number
  bottom: number
  opens?: boolean
}) {
  const line = gains
    .map((gain, index) => {
      const at = from + ((to - from) * index) / (gains.length - 1)
      return `${at.toFixed(1)} ${(bottom - gain * (bottom - top)).toFixed(1)}`
    })
    .join('L')
  return (
    <path
      d={`M${line}`}
      fill="none"
      stroke="var(--ink)"
      strokeWidth="1.8"
      strokeDasharray={opens ? undefined : '5 3'}
    />
  )
}

/** Where one of the takes has no sound: no fade reaches there. */
function Beyond({ x, width, height }: { x: number; width: number; height: number }) {
  return <rect x={x} y="0" width={width} height={height} fill="var(--paper)" opacity="0.75" />
}
