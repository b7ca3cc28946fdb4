import { useMemo } from 'react'
import type { Phrase, Sheet, SheetLine, Take } from '../api/client'
import { useAddress } from '../shell/useAddress'

/** What the arrows stand on: a phrase of the song and a take. It is named in the address, so that a reload loses nothing. */
export interface Cell {
  line: SheetLine
  phrase: Phrase
  /** The takes that touch the section, the newest first, and the one that is meant. */
  rows: Take[]
  take: Take | undefined
}

export function useCompCell(sheet: Sheet | undefined, takes: Take[], first: string | undefined) {
  const { shown, show } = useAddress()
  const bar = Number(shown.get('bar'))
  const takeId = shown.get('take')
  const dry = shown.get('dry') === 'yes'
  const places = useMemo(
    () => (sheet?.lines ?? []).flatMap((line) => line.phrases.map((phrase) => ({ line, phrase }))),
    [sheet],
  )
  // Where there is something to choose from, that section first.
  const many = places.findIndex(({ line }) => line.take_ids.length > 1)
  const begin = Math.max(0, many < 0 ? places.findIndex(({ line }) => line.section.id === first) : many)
  const named = places.findIndex(({ phrase }) => phrase.first_bar <= bar && bar < phrase.first_bar + phrase.bars)
  const at = named < 0 ? begin : named
  const place = places[at]
  const cell = useMemo(() => {
    if (!place) return undefined
    const rows = takes.filter((take) => place.line.take_ids.includes(take.id))
    return { ...place, rows, take: rows.find((row) => row.id === takeId) ?? rows[0] } satisfies Cell
  }, [place, takes, takeId])

  return {
    cell,
    dry,
    setDry: (on: boolean) => show({ dry: on ? 'yes' : null }),
    goTo: (phrase: Phrase, take?: string) =>
      show({ bar: String(phrase.first_bar), ...(take === undefined ? {} : { take }) }),
    /** Some phrases on, or takes down. */
    step: (phrases: number, rows: number) => {
      const next = places[at + phrases]
      if (phrases && next) show({ bar: String(next.phrase.first_bar) })
      const row = cell && cell.rows[cell.rows.findIndex((entry) => entry.id === cell.take?.id) + rows]
      if (rows && row) show({ take: row.id })
    },
  }
}
