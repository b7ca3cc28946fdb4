/** Where the cord's stations stand. */
export interface CordLayout {
  /** Where the cord leaves the jack, and where it reaches the tray. */
  start: number
  end: number
  xs: number[]
  /** Room of a station's words. */
  room: number
  /** Little room: the words are smaller, and what is told of a station takes two lines. */
  dense: boolean
}

// Beside the name of the program and the session; beside the buttons at the right.
const NAME = { wide: 236, dense: 172 }
const BUTTONS = 150
const MARGIN = { wide: 76, dense: 44 }
// From here on a line of what is told fits beside its neighbours.
const LEAST_WIDE = 128
const MOST_ROOM = 176

/** Lay out so many stations on a page that is so many pixels wide; eight have room on 1024. */
export function cordLayout(width: number, stations: number): CordLayout {
  const end = width - BUTTONS
  const spaced = (start: number, margin: number) => (end - start - 2 * margin) / Math.max(1, stations - 1)
  const dense = spaced(NAME.wide, MARGIN.wide) < LEAST_WIDE
  const [start, margin] = dense ? [NAME.dense, MARGIN.dense] : [NAME.wide, MARGIN.wide]
  const step = spaced(start, margin)
  return {
    start,
    end,
    xs: Array.from({ length: stations }, (_, index) => start + margin + step * index),
    room: Math.min(MOST_ROOM, step),
    dense,
  }
}
