import { useState } from 'react'
import type { CompLine, PieceLevel } from '../api/client'
import { TextField } from '../ui/TextField'
import { figure, signed } from '../ui/format'
import { type Cell, type Range, UNITS, type Unit } from './useCompCell'
import type { useCompActs } from './useCompActs'

const LINK = 'whitespace-nowrap underline underline-offset-4 hover:text-ink disabled:no-underline disabled:opacity-50'

/** What was taken to be laid elsewhere. */
export interface Lifted {
  takeId: string
  number: number
  range: Range
  words: string
}

/** The chosen range: its unit, and what is done to what sounds there. */
export function RangeBar({
  cell,
  line,
  level,
  lifted,
  acts,
  onUnit,
  onLift,
  onLay,
}: {
  cell: Cell
  line: CompLine
  level: PieceLevel | undefined
  lifted: Lifted | undefined
  acts: ReturnType<typeof useCompActs>
  onUnit: (unit: Unit) => void
  onLift: () => void
  onLay: (under: boolean) => void
}) {
  const [percent, setPercent] = useState(100)
  const sounds = line.pieces.filter((piece) => overlap(piece, cell.range) > 0)
  const moved = sounds.find((piece) => piece.moved_ms !== 0)
  const turned = sounds.find((piece) => piece.gain_db !== 0)
  return (
    <div
      aria-label="The chosen range"
      role="group"
      className="flex min-h-9 shrink-0 flex-wrap items-center gap-x-5 border-y border-rule px-2.5 text-[13.5px] text-pencil"
    >
      <p className="font-semibold whitespace-nowrap text-ink">{rangeWords(cell)}</p>
      <div role="radiogroup" aria-label="Unit" className="flex gap-2.5">
        {UNITS.map((unit) => (
          <button
            key={unit}
            role="radio"
            aria-checked={unit === cell.unit}
            onClick={() => onUnit(unit)}
            className={unit === cell.unit ? 'border-b-2 border-ink text-ink' : 'hover:text-ink'}
          >
            {unit}
          </button>
        ))}
      </div>
      <p className="flex items-baseline gap-2 whitespace-nowrap">
        Move by
        <TextField
          label="Move by"
          value="0 ms"
          onKeep={(typed) => acts.move(cell.range, typed)}
          className="w-[70px] border-rule! text-ink"
        />
        <button className={LINK} onClick={() => acts.moveOnto(cell.range, 'click', percent)}>
          onto the click
        </button>
        <button className={LINK} onClick={() => acts.moveOnto(cell.range, 'others', percent)}>
          onto the other takes
        </button>
        <TextField
          label="How much of the way"
          value={`${percent} %`}
          onKeep={(typed) => {
            const share = Number.parseFloat(typed)
            if (share >= 0 && share <= 100) setPercent(share)
          }}
          className="w-[46px] border-rule! text-ink"
        />
        {moved && (
          <button className={`${LINK} text-ink`} onClick={() => acts.moveBack(cell.range)}>
            {signed(moved.moved_ms, 1)} ms: back (B)
          </button>
        )}
      </p>
      <p className="flex items-baseline gap-2 whitespace-nowrap">
        {turned && <span className="text-ink">{signed(turned.gain_db, 1)} dB</span>}
        {level ? (
          <button
            className={`${LINK} text-mic`}
            title={level.says}
            onClick={() => acts.turn(level, Math.round(-10 * level.off_db) / 10)}
          >
            {figure(Math.abs(level.off_db))} dB {level.off_db > 0 ? 'louder' : 'quieter'} than around it: even it (E)
          </button>
        ) : (
          <>
            <button className={LINK} onClick={() => acts.turn(cell.range, -1)}>
              −1 dB
            </button>
            <button className={LINK} onClick={() => acts.turn(cell.range, 1)}>
              +1 dB
            </button>
          </>
        )}
      </p>
      <p className="ml-auto flex items-baseline gap-2 whitespace-nowrap">
        <button className={LINK} disabled={!cell.take} onClick={onLift}>
          lift (S)
        </button>
        {lifted && (
          <>
            <button className={`${LINK} text-ink`} title={lifted.words} onClick={() => onLay(false)}>
              lay take {lifted.number}, {lifted.words}, here (V)
            </button>
            <button className={LINK} onClick={() => onLay(true)}>
              beneath
            </button>
          </>
        )}
      </p>
    </div>
  )
}

const overlap = (piece: Range, range: Range) =>
  Math.min(piece.to_frame, range.to_frame) - Math.max(piece.from_frame, range.from_frame)

/** A chosen range as a person says it. */
export function rangeWords({ line, range, unit, count }: Cell) {
  const slack = (range.to_frame - range.from_frame) / 20
  const inside = line.bars.filter(
    (bar) => bar.to_frame > range.from_frame + slack && bar.from_frame < range.to_frame - slack,
  )
  const [first, last] = [inside[0]?.number, inside[inside.length - 1]?.number]
  const bars = first === last ? `bar ${first}` : `bars ${first} to ${last}`
  if (unit === 'phrase' || unit === 'bar') return bars
  return `${count === 1 ? `a ${unit}` : `${count} ${unit}s`} in ${bars}`
}
