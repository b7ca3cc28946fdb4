import { useMemo } from 'react'
import type { Marks, Phrase, Sheet, SheetLine, Take } from '../api/client'
import { useMarks } from '../api/queries'
import { useAddress } from '../shell/useAddress'

/** Frames of the song. */
export interface Range {
  from_frame: number
  to_frame: number
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
  /** The takes that touch the section, the newest first, and the one that is meant. */
  rows: Take[]
  take: Take | undefined
}

export function useCompCell(partId: string, sheet: Sheet | undefined, takes: Take[], first: string | undefined) {
  const { shown, show } = useAddress()
  const takeId = shown.get('take')
  const dry = shown.get('dry') === 'yes'
  const unit = UNITS.find((one) => one === shown.get('unit')) ?? 'phrase'
  const wanted = Math.max(1, Number(shown.get('units')) || 1)
  const lines = useMemo(() => sheet?.lines ?? [], [sheet])
  const at = frameMeant(lines, shown.get('at'), Number(shown.get('bar')), first)
  const line = lines.find((entry) => entry.from_frame <= at && at < entry.to_frame)
  const fine = unit === 'beat' || unit === 'stroke'
  const marks = useMarks(partId, fine ? line : undefined).data

  const cell = useMemo(() => {
    if (!line) return undefined
    const rows = takes.filter((take) => line.take_ids.includes(take.id))
    const take = rows.find((row) => row.id === takeId) ?? rows[0]
    const places = placesOf(line, unit, marks, take)
    const place = places.findLastIndex((one) => one.from_frame <= at)
    const phrase = line.phrases.findLast((one) => one.from_frame <= at)
    const begin = places[Math.max(0, place)]
    if (!phrase || !begin) return undefined
    const last = places[Math.min(places.length, Math.max(0, place) + wanted) - 1]!
    const range = { from_frame: begin.from_frame, to_frame: last.to_frame }
    const count = Math.min(wanted, places.length - Math.max(0, place))
    return { line, phrase, range, unit, count, rows, take, places, place: Math.max(0, place) }
  }, [line, takes, takeId, unit, marks, at, wanted])

  function goTo(range: Range, take?: string) {
    show({ at: String(range.from_frame), bar: null, units: null, ...(take === undefined ? {} : { take }) })
  }

  return {
    cell: cell as Cell | undefined,
    dry,
    setDry: (on: boolean) => show({ dry: on ? 'yes' : null }),
    goTo,
    /** Some units on, or takes down. */
    step: (units: number, rows: number) => {
      if (!cell) return
      const next = cell.places[cell.place + units]
      if (units && next) goTo(next)
      else if (units) {
        const neighbour = lines[lines.indexOf(cell.line) + units]
        if (neighbour) goTo(units > 0 ? neighbour : lastOf(placesOf(neighbour, unit, undefined, undefined)))
      }
      const row = cell.rows[cell.rows.findIndex((entry) => entry.id === cell.take?.id) + rows]
      if (rows && row) show({ take: row.id })
    },
    /** The range made longer or shorter by units. */
    reach: (units: number) => {
      if (!cell) return
      const more = Math.max(1, Math.min(cell.places.length - cell.place, cell.count + units))
      show({ units: more > 1 ? String(more) : null })
    },
    setUnit: (to: Unit) => show({ unit: to === 'phrase' ? null : to, units: null }),
    /** A larger unit, or a smaller one. */
    resize: (by: number) => {
      const to = UNITS[UNITS.indexOf(unit) + by]
      if (to) show({ unit: to === 'phrase' ? null : to, units: null })
    },
  }
}

const lastOf = (places: Range[]) => places[places.length - 1]!

/** The frame that the address means; a bar is understood too. Without either: where there is something to choose from. */
function frameMeant(lines: SheetLine[], at: string | null, bar: number, first: string | undefined) {
  if (at !== null) return Number(at)
  const named = lines.flatMap((line) => line.bars).find((entry) => entry.number === bar)
  const begin =
    lines.find((line) => line.take_ids.length > 1) ?? lines.find((line) => line.section.id === first) ?? lines[0]
  return (named ?? begin)?.from_frame ?? 0
}

/** The ranges of a section that the arrows go over. As long as its strokes are not known it is gone over by beats. */
function placesOf(line: SheetLine, unit: Unit, marks: Marks | undefined, take: Take | undefined): Range[] {
  if (unit === 'phrase') return line.phrases
  const frames = unit === 'stroke' ? marks?.strokes.find((entry) => entry.take_id === take?.id)?.frames : marks?.beats
  if (unit === 'bar' || !frames?.length) return line.bars
  return frames.map((frame, index) => ({ from_frame: frame, to_frame: frames[index + 1] ?? line.to_frame }))
}
