import type { Plan } from '../api/client'

/** Where metres lie on the plan: from above, away from the speaker runs to the right and to its right runs up. */
export interface PlanScale {
  /** Pixels of a metre. */
  perMetre: number
  /** So many times smaller than it is, on a screen of 96 pixels an inch. */
  oneTo: number
  above: (place: readonly number[]) => [number, number]
  front: (place: readonly number[]) => [number, number]
  /** Left edge and width of the view from the front. */
  frontX: number
  frontWidth: number
  aboveWidth: number
}

const PER_METRE = 96 / 0.0254
const STEPS = [2, 2.5, 3, 4, 5, 6, 8, 10, 12, 15, 20, 30, 50, 80]
const BACK = 78
const MARGIN = 34
const FRONT_SHARE = 0.34

/** The largest scale at which all microphones, and the cones that they stand before, are seen. */
export function planScale(
  plan: Plan,
  ghosts: readonly (readonly number[])[],
  width: number,
  height: number,
): PlanScale {
  const frontWidth = Math.round(width * FRONT_SHARE)
  const aboveWidth = width - frontWidth - 14
  const frontX = aboveWidth + 14
  const places = [...plan.mics.map((mic) => mic.place_m), ...ghosts]
  const points = plan.mics.length ? plan.mics.map((mic) => mic.point_m) : [[0, 0]]
  const middle = [0, 1].map((axis) => points.reduce((sum, point) => sum + point[axis]!, 0) / points.length)
  const nearest = plan.front.cones.length ? Math.max(...plan.front.cones.map((cone) => cone.radius_m)) : 0.24
  const away = Math.max(0.12, ...places.map((place) => place[2]!))
  const reach = (axis: number) =>
    Math.max(nearest, ...places.map((place) => Math.abs(place[axis]! - middle[axis]!) + 0.03))
  const most = Math.min(
    (aboveWidth - BACK - 90) / away,
    (height / 2 - MARGIN) / Math.max(reach(0), reach(1)),
    (frontWidth / 2 - 16) / reach(0),
  )
  const oneTo = STEPS.find((step) => PER_METRE / step <= most) ?? STEPS.at(-1)!
  const perMetre = PER_METRE / oneTo
  const y = height / 2 + 8
  return {
    perMetre,
    oneTo,
    above: ([x, , z]) => [BACK + z! * perMetre, y - (x! - middle[0]!) * perMetre],
    front: ([x, up]) => [frontX + frontWidth / 2 + (x! - middle[0]!) * perMetre, y - (up! - middle[1]!) * perMetre],
    frontX,
    frontWidth,
    aboveWidth,
  }
}
