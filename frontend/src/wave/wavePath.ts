/** Outline of a stretch of a wave as an SVG path, filling `width` × `height` around the middle `y`. */
export function wavePath(
  columns: ArrayLike<number>,
  framesPerColumn: number,
  stretch: { startFrame: number; endFrame: number },
  box: { x: number; y: number; width: number; height: number },
): string {
  const total = columns.length / 2
  const first = stretch.startFrame / framesPerColumn
  const last = stretch.endFrame / framesPerColumn
  const steps = Math.max(1, Math.min(Math.round(box.width * 1.5), Math.ceil(last - first)))
  const upper: string[] = []
  const lower: string[] = []
  for (let step = 0; step <= steps; step++) {
    const from = Math.floor(first + ((last - first) * step) / steps)
    const to = Math.max(from + 1, Math.floor(first + ((last - first) * (step + 1)) / steps))
    if (from < 0) continue
    if (from >= total) break
    let low = 127
    let high = -127
    for (let column = from; column < Math.min(to, total); column++) {
      low = Math.min(low, columns[2 * column]!)
      high = Math.max(high, columns[2 * column + 1]!)
    }
    const x = (box.x + (box.width * step) / steps).toFixed(1)
    // A silent stretch stays a hair's breadth, so that a rest is seen as played.
    upper.push(`${x} ${(box.y - Math.max(0.4, (high / 127) * box.height * 0.5)).toFixed(1)}`)
    lower.push(`${x} ${(box.y - Math.min(-0.4, (low / 127) * box.height * 0.5)).toFixed(1)}`)
  }
  if (upper.length < 2) return ''
  return `M${upper.join('L')}L${lower.reverse().join('L')}Z`
}

/** How much a quiet wave is enlarged for drawing, so that its shape is seen; the same for all of one kind. */
export function loudest(columns: ArrayLike<number>): number {
  let most = 1
  for (let index = 0; index < columns.length; index++) most = Math.max(most, Math.abs(columns[index]!))
  return most
}
