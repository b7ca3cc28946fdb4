import type { CompLine, CompPiece, PieceLevel } from '../api/client'
import { TextField } from '../ui/TextField'
import { figure, signed } from '../ui/format'
import { type Cell, type Range, UNITS, type Unit } from './useCompCell'
import type { useCompActs } from './useCompActs'

const LINK = 'whitespace-nowrap underline underline-offset-4 hover:text-ink disabled:no-underline disabled:opacity-50'

const ROW = 'flex min-h-7 flex-wrap items-baseline gap-x-6'

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
  tempoThere,
  byStroke,
  percent,
  acts,
  onUnit,
  onByStroke,
  onPercent,
  onLift,
  onLay,
}: {
  cell: Cell
  line: CompLine
  level: PieceLevel | undefined
  lifted: Lifted | undefined
  /** How the tempo here is another one than where it was lifted; empty where it is not. */
  tempoThere: string
  /** What is moved is moved stroke by stroke. */
  byStroke: boolean
  /** Of the way onto the click, or the other takes. */
  percent: number
  acts: ReturnType<typeof useCompActs>
  onUnit: (unit: Unit) => void
  onLift: () => void
  onLay: (how: { under?: boolean; stretched?: boolean }) => void
  onByStroke: (on: boolean) => void
  onPercent: (percent: number) => void
}) {
  const sounds = line.pieces.filter((piece) => overlap(piece, cell.range) > 0)
  const moved = sounds.find((piece) => piece.moved_ms !== 0 && !piece.lifted)
  const turned = sounds.find((piece) => piece.gain_db !== 0)
  const eased = sounds
    .flatMap((piece) => piece.eased)
    .filter((stroke) => stroke.frame >= cell.range.from_frame && stroke.frame < cell.range.to_frame)
  return (
    <div
      aria-label="The chosen range"
      role="group"
      className="shrink-0 border-y border-rule px-2.5 py-1 text-[13.5px] text-pencil"
    >
      <div className={ROW}>
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
              <button className={`${LINK} text-ink`} title={lifted.words} onClick={() => onLay({})}>
                lay take {lifted.number}, {lifted.words}, here (V)
              </button>
              {tempoThere && (
                <button className={`${LINK} text-mic`} title={tempoThere} onClick={() => onLay({ stretched: true })}>
                  {tempoThere}: stretched (Shift V)
                </button>
              )}
              <button className={LINK} onClick={() => onLay({ under: true })}>
                beneath
              </button>
            </>
          )}
        </p>
      </div>
      <div className={ROW}>
        <div className="flex items-baseline gap-2 whitespace-nowrap">
          Move what sounds:
          <div role="radiogroup" aria-label="What is moved" className="flex gap-2">
            {[false, true].map((each) => (
              <button
                key={String(each)}
                role="radio"
                aria-checked={each === byStroke}
                onClick={() => onByStroke(each)}
                className={each === byStroke ? 'border-b-2 border-ink text-ink' : 'hover:text-ink'}
              >
                {each ? 'each stroke' : 'all of it'}
              </button>
            ))}
          </div>
          by
          <TextField
            label="Move by"
            value="0 ms"
            onKeep={(typed) => acts.move(cell.range, typed, byStroke)}
            className="w-[70px] border-rule! text-ink"
          />
          <button className={LINK} onClick={() => acts.moveOnto(cell.range, 'click', percent, byStroke)}>
            onto the click
          </button>
          <button className={LINK} onClick={() => acts.moveOnto(cell.range, 'others', percent, byStroke)}>
            onto the other takes
          </button>
          <TextField
            label="How much of the way"
            value={`${percent} %`}
            onKeep={(typed) => {
              const share = Number.parseFloat(typed)
              if (share >= 0 && share <= 100) onPercent(share)
            }}
            className="w-[46px] border-rule! text-ink"
          />
        </div>
        <p className="flex items-baseline gap-2 whitespace-nowrap">
          Tune by
          <TextField
            label="Tune by"
            value={`${figure(eased[0]?.cents ?? 0)} cents`}
            onKeep={(typed) => {
              const cents = Number.parseFloat(typed.replace('−', '-').replace(',', '.'))
              if (Number.isFinite(cents)) acts.tune(cell.range, cents)
            }}
            className="w-[74px] border-rule! text-ink"
          />
          <button className={LINK} onClick={() => acts.tune(cell.range, null)}>
            onto the note (C)
          </button>
        </p>
        <p className="whitespace-nowrap">
          {(moved || eased.length > 0) && (
            <button className={`${LINK} text-ink`} onClick={() => acts.moveBack(cell.range)}>
              {[moved && `${signed(moved.moved_ms, 1)} ms`, easedWords(eased)].filter(Boolean).join(', ')}: back (B)
            </button>
          )}
        </p>
      </div>
    </div>
  )
}

const overlap = (piece: Range, range: Range) =>
  Math.min(piece.to_frame, range.to_frame) - Math.max(piece.from_frame, range.from_frame)

/** Strokes that do not sound as they were played, in words. */
function easedWords(strokes: CompPiece['eased']) {
  const [only] = strokes
  if (!only) return ''
  if (strokes.length > 1) return `${strokes.length} strokes eased`
  return [only.by_ms && `stroke ${signed(only.by_ms, 1)} ms`, only.cents && `${signed(only.cents, 1)} cents`]
    .filter(Boolean)
    .join(' ')
}

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
