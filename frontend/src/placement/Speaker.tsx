import type { Plan } from '../api/client'
import type { PlanScale } from './planScale'

type Front = Plan['front']

// A word nearer to the upper edge would be cut by it.
const CUT_AT = 28

/** Cabinet and cones cut open at the height of the microphones; of a guitar its top, seen from its edge. */
export function SpeakerAbove({ front, scale }: { front: Front; scale: PlanScale }) {
  const [grille, top] = scale.above([front.width_m / 2, 0, 0])
  const [, bottom] = scale.above([-front.width_m / 2, 0, 0])
  const depth = Math.min(66, Math.max(18, front.depth_m * scale.perMetre))
  const ink = { fill: 'none', stroke: 'var(--ink)', strokeWidth: 1.8 }
  if (front.is_guitar)
    return (
      <g>
        <GuitarEdge front={front} scale={scale} depth={depth} />
        {front.points.map((point) => {
          const [x, y] = scale.above([point.x_m, point.y_m, 0])
          return (
            <g key={point.name}>
              <path d={`M${x - 5} ${y} h10`} stroke="var(--ink)" strokeWidth="2" />
              {y > CUT_AT && (
                <text x={x + 9} y={y + 4} fontSize="11.5" fill="var(--pencil)">
                  {point.name}
                </text>
              )}
            </g>
          )
        })}
      </g>
    )
  // Cones one above the other are seen as one from above.
  const rows = [...new Map(front.cones.map((cone) => [cone.x_m.toFixed(3), cone])).values()]
  return (
    <g {...ink}>
      <rect x={grille - depth} y={top} width={depth} height={bottom - top} fill="var(--wash)" stroke="var(--ink)" />
      <path d={`M${grille} ${top} V${bottom}`} strokeDasharray="2 3" strokeWidth="2.6" />
      {rows.map((cone) => {
        const [, y] = scale.above([cone.x_m, 0, 0])
        const r = cone.radius_m * scale.perMetre
        const deep = Math.min(depth - 8, cone.depth_m * scale.perMetre)
        const neck = r * 0.28
        return (
          <g key={cone.x_m}>
            <path
              d={`M${grille} ${y - r} L${grille - deep} ${y - neck} V${y + neck} L${grille} ${y + r}`}
              fill="var(--sheet)"
              strokeLinejoin="round"
            />
            <rect
              x={grille - Math.min(depth, deep + 9)}
              y={y - neck}
              width={Math.min(9, depth - deep)}
              height={2 * neck}
            />
          </g>
        )
      })}
    </g>
  )
}

function GuitarEdge({ front, scale, depth }: { front: Front; scale: PlanScale; depth: number }) {
  const bridge = front.points.find((point) => point.name === 'bridge')!
  const fret = front.points.find((point) => point.name === '12th fret')!
  const head = front.points.find((point) => point.name === 'headstock')!
  const [grille, tail] = scale.above([bridge.x_m - 0.17, 0, 0])
  const [, shoulder] = scale.above([fret.x_m - 0.02, 0, 0])
  const [, top] = scale.above([head.x_m + 0.06, 0, 0])
  return (
    <g stroke="var(--ink)" strokeWidth="1.8" fill="var(--wash)">
      <rect x={grille - depth} y={shoulder} width={depth} height={tail - shoulder} rx="4" />
      <rect x={grille - 9} y={top} width="9" height={shoulder - top} />
      <path d={`M${grille + 1} ${top} V${tail}`} strokeWidth="2.6" strokeDasharray="2 3" />
    </g>
  )
}

/** The same as the microphones see it. */
export function SpeakerFront({ front, scale }: { front: Front; scale: PlanScale }) {
  if (front.is_guitar) return <GuitarFront front={front} scale={scale} />
  const [left, top] = scale.front([-front.width_m / 2, front.height_m / 2])
  const [right, bottom] = scale.front([front.width_m / 2, -front.height_m / 2])
  return (
    <g fill="none" stroke="var(--ink)" strokeWidth="1.8">
      <rect x={left} y={top} width={right - left} height={bottom - top} rx="5" fill="var(--wash)" />
      {front.cones.map((cone, index) => {
        const [x, y] = scale.front([cone.x_m, cone.y_m])
        const r = cone.radius_m * scale.perMetre
        return (
          <g key={index}>
            <circle cx={x} cy={y} r={r} fill="var(--sheet)" />
            <circle cx={x} cy={y} r={r * 0.86} stroke="var(--faint)" />
            <circle cx={x} cy={y} r={r * 0.28} stroke="var(--faint)" />
          </g>
        )
      })}
    </g>
  )
}

function GuitarFront({ front, scale }: { front: Front; scale: PlanScale }) {
  const point = (name: string) => front.points.find((entry) => entry.name === name)!
  const [bridge, hole, fret, head] = ['bridge', 'sound hole', '12th fret', 'headstock'].map(point)
  const at = (x: number, y: number) => scale.front([x, y]).join(' ')
  const x = (metres: number) => scale.front([metres, 0])[0]
  const y = scale.front([0, 0])[1]
  const m = scale.perMetre
  const end = fret!.x_m - 0.01
  // Two bouts and a waist, in metres from the bridge and from the neck's end.
  const outline = `M${at(bridge!.x_m - 0.17, 0)} C${at(bridge!.x_m - 0.17, 0.2)} ${at(bridge!.x_m + 0.08, 0.24)} ${at(hole!.x_m - 0.02, 0.13)} C${at(hole!.x_m + 0.04, 0.1)} ${at(end, 0.17)} ${at(end, 0.02)} V${y + 0.02 * m} C${at(end, -0.17)} ${at(hole!.x_m + 0.04, -0.1)} ${at(hole!.x_m - 0.02, -0.13)} C${at(bridge!.x_m + 0.08, -0.24)} ${at(bridge!.x_m - 0.17, -0.2)} ${at(bridge!.x_m - 0.17, 0)} Z`
  return (
    <g fill="var(--wash)" stroke="var(--ink)" strokeWidth="1.8" strokeLinejoin="round">
      <path d={outline} />
      <rect x={x(end)} y={y - 0.026 * m} width={(head!.x_m - end) * m} height={0.052 * m} />
      <rect x={x(head!.x_m - 0.09)} y={y - 0.035 * m} width={0.17 * m} height={0.07 * m} rx="2" />
      <circle cx={x(hole!.x_m)} cy={y} r={0.05 * m} fill="var(--sheet)" />
      <rect x={x(bridge!.x_m) - 0.014 * m} y={y - 0.08 * m} width={0.028 * m} height={0.16 * m} fill="var(--sheet)" />
      <path d={`M${x(fret!.x_m)} ${y - 0.026 * m} v${0.052 * m}`} />
    </g>
  )
}
