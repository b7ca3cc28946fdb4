import { useState } from 'react'
import type { MicOnRig, Plan, Rig, Trial } from '../api/client'
import { useWidth } from '../shell/useSize'
import { figure } from '../ui/format'
import { SpeakerAbove, SpeakerFront } from './Speaker'
import { type PlanScale, planScale } from './planScale'

const HALF_FIGURE = 30
const STEP_M = 0.005
const LARGE = 10
const TURN_DEG = 5
const NEAREST_M = 0.005
const FARTHEST_M = 5

/** A microphone that is dragged: as it was, and where the pointer took it. */
interface Held {
  scale: PlanScale
  mic: MicOnRig
  at: [number, number]
  moved: boolean
}

type OnPlan = Plan['mics'][number]

/**
 * Speaker and microphones to scale, from above and from the front. A microphone is dragged in either view; with the
 * focus on it the arrow keys move it, comma and full stop turn it.
 */
export function MicPlan({
  plan,
  rig,
  newest,
  ghosts,
  chosen,
  height,
  onChoose,
  onDraw,
  onKeep,
}: {
  plan: Plan
  rig: Rig
  /** The rig as it is by now, where it may be newer than what is drawn. */
  newest?: () => Rig
  ghosts: Trial['ghosts']
  chosen: string | undefined
  height: number
  onChoose: (name: string) => void
  /** While it is dragged. */
  onDraw: (rig: Rig) => void
  onKeep: (rig: Rig) => void
}) {
  const [width, box] = useWidth<HTMLDivElement>()
  const [held, setHeld] = useState<Held | null>(null)
  const scale = planScale(
    plan,
    ghosts.map((ghost) => ghost.place_m),
    Math.max(320, width),
    height,
  )
  const shown = held?.scale ?? scale
  // Above the line through the middle the label is over the microphone, below it under it; beside another on the other side.
  const middle = shown.above([0, 0, 0])[1]
  const labelsBelow = plan.mics.map((mic, index) => {
    const y = shown.above(mic.place_m)[1]
    return y > middle + 4 || (y > middle - 4 && index % 2 === 0)
  })
  const dimensioned = plan.mics.find((mic) => mic.name === chosen) ?? plan.mics[0]
  const figureAt = dimensioned && distanceLine(shown, dimensioned, height)
  const others = (mic: MicOnRig) => (rig.mics ?? []).map((entry) => (entry.name === mic.name ? mic : entry))

  function moved(mic: MicOnRig, view: View, dx: number, dy: number): MicOnRig {
    const right = (mic.off_centre_m ?? 0) + (view === 'above' ? -dy : dx)
    const off_centre_m = clamp(right, -FARTHEST_M, FARTHEST_M)
    if (view === 'above') return { ...mic, off_centre_m, distance_m: clamp(mic.distance_m + dx, NEAREST_M, FARTHEST_M) }
    return { ...mic, off_centre_m, height_m: clamp((mic.height_m ?? 0) - dy, -FARTHEST_M, FARTHEST_M) }
  }

  const dragging = (name: string, view: View) => ({
    onPointerDown: (event: React.PointerEvent<SVGGElement>) => {
      const mic = rig.mics?.find((entry) => entry.name === name)
      if (!mic) return
      event.currentTarget.setPointerCapture(event.pointerId)
      setHeld({ scale, mic, at: [event.clientX, event.clientY], moved: false })
      onChoose(name)
    },
    onPointerMove: (event: React.PointerEvent) => {
      if (!held || held.mic.name !== name) return
      const [dx, dy] = [event.clientX - held.at[0], event.clientY - held.at[1]]
      if (!held.moved && Math.hypot(dx, dy) < 3) return
      if (!held.moved) setHeld({ ...held, moved: true })
      onDraw({ ...rig, mics: others(moved(held.mic, view, dx / held.scale.perMetre, dy / held.scale.perMetre)) })
    },
    onPointerUp: () => {
      setHeld(null)
      if (held?.moved) onKeep(rig)
    },
    onPointerCancel: () => {
      setHeld(null)
      if (held) onDraw({ ...rig, mics: others(held.mic) })
    },
    onKeyDown: (event: React.KeyboardEvent) => {
      // Onto the rig as it is by now: a key that is held comes quicker than it is drawn.
      const now = newest?.() ?? rig
      const mic = now.mics?.find((entry) => entry.name === name)
      const size = event.shiftKey ? STEP_M * LARGE : STEP_M
      const way = WAYS[event.key]
      const turn = event.key === ',' || event.key === '<' ? -1 : event.key === '.' || event.key === '>' ? 1 : 0
      if (!mic || (!way && !turn) || event.ctrlKey || event.altKey || event.metaKey) return
      event.preventDefault()
      event.stopPropagation()
      const next = way
        ? moved(mic, view, way[0] * size, way[1] * size)
        : { ...mic, turned_deg: clamp((mic.turned_deg ?? 0) + turn * TURN_DEG, -180, 180) }
      onKeep({ ...now, mics: now.mics?.map((entry) => (entry.name === name ? next : entry)) })
    },
  })

  return (
    <div ref={box} className="relative min-w-0">
      {width > 0 && (
        <svg
          width={width}
          height={height}
          className="block touch-none select-none"
          role="group"
          aria-label="Plan of the microphones"
        >
          <defs>
            <clipPath id="above">
              <rect y="20" width={shown.aboveWidth} height={height - 20} />
            </clipPath>
            <clipPath id="front">
              <rect x={shown.frontX} y="20" width={shown.frontWidth} height={height - 20} />
            </clipPath>
          </defs>
          <g clipPath="url(#above)">
            <SpeakerAbove front={plan.front} scale={shown} />
            <Axis plan={plan} chosen={chosen} scale={shown} />
            {ghosts.map((ghost, index) => (
              <MicAbove key={index} kind={ghost.kind} at={shown.above(ghost.place_m)} looks={ghost.looks} ghost />
            ))}
            {plan.mics.map((mic, index) => (
              <MicHandle
                key={mic.name}
                mic={mic}
                on={mic.name === chosen}
                view="above"
                {...dragging(mic.name, 'above')}
              >
                <MicAbove
                  kind={mic.kind}
                  at={shown.above(mic.place_m)}
                  looks={mic.looks}
                  chosen={mic.name === chosen}
                />
                <MicLabel
                  mic={mic}
                  at={shown.above(mic.place_m)}
                  below={labelsBelow[index]!}
                  beside={figureAt && { x: figureAt.textX + HALF_FIGURE, y: figureAt.level - 6 }}
                  scale={shown}
                />
              </MicHandle>
            ))}
            <Dimensions plan={plan} chosen={chosen} scale={shown} height={height} />
          </g>
          <path d={`M${shown.frontX - 7} 6 V${height - 6}`} stroke="var(--rule)" />
          <g clipPath="url(#front)">
            <SpeakerFront front={plan.front} scale={shown} />
            {ghosts.map((ghost, index) => (
              <MicFront key={index} at={shown.front(ghost.place_m)} looks={ghost.looks} ghost />
            ))}
            {plan.mics.map((mic) => (
              <MicHandle
                key={mic.name}
                mic={mic}
                on={mic.name === chosen}
                view="front"
                {...dragging(mic.name, 'front')}
              >
                <MicFront
                  at={shown.front(mic.place_m)}
                  looks={mic.looks}
                  letter={letterOf(mic.name)}
                  chosen={mic.name === chosen}
                />
              </MicHandle>
            ))}
          </g>
          <text x="2" y="13" fontSize="12.5" fill="var(--pencil)">
            from above, 1 : {shown.oneTo}
          </text>
          <text x={shown.frontX + 2} y="13" fontSize="12.5" fill="var(--pencil)">
            from the front
          </text>
        </svg>
      )}
    </div>
  )
}

type View = 'above' | 'front'
const WAYS: Record<string, [number, number]> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
const clamp = (value: number, low: number, high: number) => Number(Math.min(high, Math.max(low, value)).toFixed(4))
const letterOf = (name: string) => name.replace(/^mic /i, '').slice(0, 2)

function MicHandle({
  mic,
  on,
  view,
  children,
  ...acts
}: { mic: OnPlan; on: boolean; view: View; children: React.ReactNode } & React.SVGAttributes<SVGGElement>) {
  return (
    <g
      {...acts}
      tabIndex={0}
      role="button"
      aria-pressed={on}
      aria-label={`${mic.name} ${view === 'above' ? 'from above' : 'from the front'}: ${mic.words}; arrow keys move it`}
      className="cursor-grab outline-none focus-visible:[&_.head]:stroke-(--sim) focus-visible:[&_.head]:[stroke-width:3]"
    >
      {children}
    </g>
  )
}

const HEADS: Record<string, [number, number, number]> = {
  ribbon: [20, 30, 7],
  coil: [20, 16, 8],
  condenser: [14, 12, 3],
}

/** Seen from above: the head at its place, the body behind it. */
function MicAbove({
  kind,
  at: [x, y],
  looks,
  ghost = false,
  chosen = false,
}: {
  kind: string
  at: [number, number]
  looks: readonly number[]
  ghost?: boolean
  chosen?: boolean
}) {
  // Away runs right, to the right runs up.
  const angle = (Math.atan2(-looks[0]!, looks[2]!) * 180) / Math.PI
  const [length, across, round] = HEADS[Object.keys(HEADS).find((entry) => kind.includes(entry)) ?? 'coil']!
  const ink = ghost ? 'var(--faint)' : 'var(--ink)'
  return (
    <g transform={`translate(${x} ${y}) rotate(${angle})`} opacity={ghost ? 0.55 : 1}>
      {!ghost && <rect x={-length - 56} y={-20} width={length + 74} height={40} fill="transparent" />}
      <path
        d={`M${-length + 2} ${-across / 3.2} L${-length - 44} -4 V4 L${-length + 2} ${across / 3.2} Z`}
        fill={ghost ? 'none' : 'var(--sheet)'}
        stroke={ink}
        strokeWidth="1.6"
        strokeLinejoin="round"
      />
      <rect
        className="head"
        x={-length}
        y={-across / 2}
        width={length}
        height={across}
        rx={round}
        fill={ghost ? 'none' : 'var(--mic)'}
        stroke={ink}
        strokeWidth={chosen ? 2.6 : 1.6}
      />
    </g>
  )
}

function MicLabel({
  mic,
  at: [x, y],
  below,
  beside,
  scale,
}: {
  mic: OnPlan
  at: [number, number]
  below: boolean
  beside: { x: number; y: number } | undefined
  scale: PlanScale
}) {
  // Over its head, or under it for every other one; inside of the view, and beside the figure of a distance.
  const line = y + (below ? 36 : -24)
  const free = beside && Math.abs(line - beside.y) < 17 ? Math.max(92, beside.x) : 92
  const at = Math.min(Math.max(x + 7, free), scale.aboveWidth - 112)
  return (
    <text x={at} y={line} fontSize="13.5" fontWeight="700" fill="var(--ink)">
      {letterOf(mic.name)} <tspan fontWeight="400">{mic.title}</tspan>
    </text>
  )
}

/** Seen from the front: a dot with its letter, and a hair to where it looks. */
function MicFront({
  at: [x, y],
  looks,
  letter = '',
  ghost = false,
  chosen = false,
}: {
  at: [number, number]
  looks: readonly number[]
  letter?: string
  ghost?: boolean
  chosen?: boolean
}) {
  if (ghost) return <circle cx={x} cy={y} r="8" fill="none" stroke="var(--faint)" opacity="0.6" />
  return (
    <g>
      <path d={`M${x} ${y} l${looks[0]! * 30} ${-looks[1]! * 30}`} stroke="var(--ink)" strokeWidth="1.6" />
      <circle
        className="head"
        cx={x}
        cy={y}
        r="10"
        fill="var(--mic)"
        stroke="var(--ink)"
        strokeWidth={chosen ? 2.6 : 1.4}
      />
      <text x={x} y={y + 4.5} fontSize="12.5" fontWeight="700" textAnchor="middle" fill="var(--sheet)">
        {letter}
      </text>
    </g>
  )
}

/** The line out of the middle of what the chosen microphone is measured from. */
function Axis({ plan, chosen, scale }: { plan: Plan; chosen: string | undefined; scale: PlanScale }) {
  const mic = plan.mics.find((entry) => entry.name === chosen) ?? plan.mics[0]
  if (!mic) return null
  const [x, y] = scale.above([...mic.point_m, 0])
  return <path d={`M${x} ${y} H${scale.aboveWidth}`} stroke="var(--faint)" strokeDasharray="9 4 2 4" />
}

/** Where a microphone's distance is dimensioned: the height of the line, and the middle of its figure. */
function distanceLine(scale: PlanScale, mic: OnPlan, height: number) {
  const [x, y] = scale.above(mic.place_m)
  const [grille] = scale.above([...mic.point_m, 0])
  const level = y > height / 2 + 8 ? Math.min(height - 14, y + 46) : Math.max(34, y - 40)
  return { level, textX: Math.max((grille + x) / 2, grille + 24) }
}

/** How far the chosen microphone is away and beside the middle. */
function Dimensions({
  plan,
  chosen,
  scale,
  height,
}: {
  plan: Plan
  chosen: string | undefined
  scale: PlanScale
  height: number
}) {
  const mic = plan.mics.find((entry) => entry.name === chosen) ?? plan.mics[0]
  if (!mic) return null
  const [x, y] = scale.above(mic.place_m)
  const [grille, middle] = scale.above([...mic.point_m, 0])
  const aside = mic.place_m[0]! - mic.point_m[0]!
  const { level, textX } = distanceLine(scale, mic, height)
  return (
    <g stroke="var(--pencil)" fill="var(--ink)" fontSize="13" fontWeight="600" pointerEvents="none">
      <path
        d={`M${x} ${y} V${level} M${grille} ${level} H${x} M${grille - 4} ${level + 4} l8 -8 M${x - 4} ${level + 4} l8 -8`}
        fill="none"
      />
      <text x={textX} y={level - 6} textAnchor="middle" stroke="none">
        {figure(mic.place_m[2]! * 100)} cm
      </text>
      {Math.abs(aside) >= 5e-4 && (
        <>
          <path
            d={`M${x} ${y} H${scale.aboveWidth - 62} M${scale.aboveWidth - 66} ${middle} V${y} m-4 4 l8 -8 M${scale.aboveWidth - 70} ${middle + 4} l8 -8`}
            fill="none"
          />
          <text x={scale.aboveWidth - 58} y={(y + middle) / 2 + 4.5} stroke="none">
            {figure(Math.abs(aside) * 100)} cm
          </text>
        </>
      )}
    </g>
  )
}
