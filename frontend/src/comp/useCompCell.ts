import { useMemo } from 'react'
import type { Marks, Phrase, Sheet, SheetLine, Take } from '../api/client'
import { useMarks } from './queries'
import { useAddress } from '../shell/useAddress'

/** Frames of the song. */
export interface Range {
  from_frame: number
  to_frame: number
}

/** A range that the arrows go over; a stroke keeps its name `at`, wherever it is moved. */
interface Stop extends Range {
  at?: number
}

/** How much of the song the arrows go over at once; a stroke lasts to the next one of its take. */
export const UNITS = ['phrase', 'bar', 'beat', 'stroke'] as const
export type Unit = (typeof UNITS)[number]

/** What the arrows stand on: a range of the song and a take. It is named in the address, so that a reload loses nothing. */
export interface Cell {
  line: SheetLine
  /** The phrase that the range begins in. */
  phrase: Phrase
  range: Range
  unit: Unit
  /** How many units the range holds. */
  count: number
  /** Where the right arrow goes, in the same section. */
  following: Range | undefined
  /** The takes that touch the section, the newest first, and the one that is meant. */
  rows: Take[]
  take: Take | undefined
}

export function useCompCell(partId: string, sheet: Sheet | undefined, takes: Take[], first: string | undefined) {
  const { shown, show } = useAddress()
  const lines = useMemo(() => sheet?.lines ?? [], [sheet])
  const meant = lineMeant(lines, shown, first)
  const fine = meant !== undefined && (unitIn(shown) === 'beat' || unitIn(shown) === 'stroke')
  const marks = useMarks(partId, fine ? meant : undefined).data
  const cell = useMemo(() => cellIn(lines, takes, shown, first, marks), [lines, takes, shown, first, marks])

  // From the address as it is: keys come faster than pages are drawn.
  const now = () => new URLSearchParams(window.location.search)
  const standing = () => cellIn(lines, takes, now(), first, marks)

  function goTo(range: Stop, take?: string) {
    show({ at: String(range.at ?? range.from_frame), bar: null, units: null, ...(take === undefined ? {} : { take }) })
  }

  return {
    cell,
    dry: shown.get('dry') === 'yes',
    /** What is moved is moved stroke by stroke, not as a whole. */
    byStroke: shown.get('ease') === 'yes',
    setByStroke: (on: boolean) => show({ ease: on ? 'yes' : null }),
    setDry: (on: boolean) => show({ dry: on ? 'yes' : null }),
    goTo,
    /** Some units on, or takes down. */
    step: (units: number, rows: number) => {
      const at = standing()
      // As long as its strokes are not there nobody knows where the next one is.
      if (!at || (fine && !marks && units)) return
      const next = at.places[at.place + units]
      if (units && next) goTo(next)
      else if (units) {
        const neighbour = lines[lines.indexOf(at.line) + units]
        if (neighbour) goTo(units > 0 ? neighbour : lastOf(placesOf(neighbour, at.unit, undefined, undefined)[1]))
      }
      const row = at.rows[at.rows.findIndex((entry) => entry.id === at.take?.id) + rows]
      if (rows && row) show({ take: row.id })
    },
    /** The range made longer or shorter by units. */
    reach: (units: number) => {
      const at = standing()
      if (!at || (fine && !marks)) return
      const more = Math.max(1, Math.min(at.places.length - at.place, at.count + units))
      show({ units: more > 1 ? String(more) : null })
    },
    setUnit: (to: Unit) => show({ unit: to === 'phrase' ? null : to, units: null }),
    /** A larger unit, or a smaller one. */
    resize: (by: number) => {
      const to = UNITS[UNITS.indexOf(unitIn(now())) + by]
      if (to) show({ unit: to === 'phrase' ? null : to, units: null })
    },
  }
}

const unitIn = (shown: URLSearchParams) => UNITS.find((one) => one === shown.get('unit')) ?? 'phrase'

/** The frame that the address means; a bar is understood too. Without either: where there is something to choose from. */
function frameMeant(lines: SheetLine[], shown: URLSearchParams, first: string | undefined) {
  const at = shown.get('at')
  if (at !== null) return Number(at)
  const bar = Number(shown.get('bar'))
  const named = lines.flatMap((line) => line.bars).find((entry) => entry.number === bar)
  const begin =
    lines.find((line) => line.take_ids.length > 1) ?? lines.find((line) => line.section.id === first) ?? lines[0]
  return (named ?? begin)?.from_frame ?? 0
}

function lineMeant(lines: SheetLine[], shown: URLSearchParams, first: string | undefined) {
  const at = frameMeant(lines, shown, first)
  return lines.find((entry) => entry.from_frame <= at && at < entry.to_frame)
}

/** What an address stands on, with all the ranges that the arrows go over there. */
function cellIn(
  lines: SheetLine[],
  takes: Take[],
  shown: URLSearchParams,
  first: string | undefined,
  marks: Marks | undefined,
): (Cell & { places: Stop[]; place: number }) | undefined {
  const at = frameMeant(lines, shown, first)
  const line = lineMeant(lines, shown, first)
  if (!line) return undefined
  const rows = takes.filter((take) => line.take_ids.includes(take.id))
  const take = rows.find((row) => row.id === shown.get('take')) ?? rows[0]
  const [unit, places] = placesOf(line, unitIn(shown), marks, take)
  const place = Math.max(
    0,
    places.findLastIndex((one) => (one.at ?? one.from_frame) <= at),
  )
  const phrase = line.phrases.findLast((one) => one.from_frame <= at)
  const begin = places[place]
  if (!phrase || !begin) return undefined
  const count = Math.max(1, Math.min(Number(shown.get('units')) || 1, places.length - place))
  const range = { from_frame: begin.from_frame, to_frame: places[place + count - 1]!.to_frame }
  return { line, phrase, range, unit, count, following: places[place + 1], rows, take, places, place }
}

const lastOf = (places: Stop[]) => places[places.length - 1]!

/** The ranges of a section that the arrows go over, and what they are: bars, as long as nothing finer is known. */
function placesOf(line: SheetLine, unit: Unit, marks: Marks | undefined, take: Take | undefined): [Unit, Stop[]] {
  if (unit === 'phrase') return [unit, line.phrases]
  const strokes = unit === 'stroke' ? marks?.strokes.find((entry) => entry.take_id === take?.id) : undefined
  const frames = unit === 'stroke' ? strokes?.frames : marks?.beats
  if (unit === 'bar' || !frames?.length) return ['bar', line.bars]
  return [
    unit,
    frames.map((frame, index) => ({
      from_frame: frame,
      to_frame: frames[index + 1] ?? line.to_frame,
      at: strokes?.recorded[index],
    })),
  ]
}
