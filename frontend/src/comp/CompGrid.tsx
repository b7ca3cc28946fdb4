import { useMemo } from 'react'
import type { CompLine, JudgedTake, Phrase, Take } from '../api/client'
import { useJudged, useWave } from '../api/queries'
import { useWidth } from '../shell/useSize'
import { INK } from '../ui/Glyph'
import { RowsInSight } from '../ui/RowsInSight'
import { count } from '../ui/format'
import { wavePath } from '../wave/wavePath'
import { NAMES } from './CompSheet'
import type { Cell, Range } from './useCompCell'
import type { useTryOut } from './useTryOut'

const BETWEEN = 6
const LOWEST_ROW = 40
const HIGHEST_ROW = 74

/** The takes of the chosen section, phrase by phrase: what is used is framed, what the arrows stand on is outlined. */
export function CompGrid({
  cell,
  line,
  partId,
  tried,
  dry,
  onChoose,
  onUse,
  onOffer,
}: {
  cell: Cell
  line: CompLine
  partId: string
  tried: ReturnType<typeof useTryOut>['tried']
  dry: boolean
  onChoose: (phrase: Phrase, take: Take) => void
  onUse: (phrase: Phrase, take: Take) => void
  onOffer: () => void
}) {
  const [width, box] = useWidth<HTMLElement>()
  const { section } = cell.line
  const judged = useJudged(partId, section.id)
  const offer = line.offers[0]
  // Why the program chose what is used where the arrows stand.
  const middle = (cell.phrase.from_frame + cell.phrase.to_frame) / 2
  const why = line.pieces.find((piece) => piece.from_frame <= middle && middle < piece.to_frame)?.why
  return (
    <section aria-label="Takes of the section" ref={box} className="flex min-h-0 grow flex-col pt-2">
      <div className="flex items-baseline gap-5 px-2.5 pb-1.5 whitespace-nowrap">
        <h3 className="text-[17px]">{section.name}</h3>
        <p className="text-[13px] text-pencil">
          phrases of {count(section.phrase_bars, 'bar')} · {count(cell.rows.length, 'take')}
          {dry && ' · heard dry'}
        </p>
        {offer && (
          <button onClick={onOffer} className="text-[13.5px] underline underline-offset-4">
            take {offer.take_number} has {offer.words}: use it (O)
          </button>
        )}
        {tried && tried.looks.length > 0 && <p className="text-[13.5px] text-mic">~ {tried.looks[0]}</p>}
        {why ? (
          <p className="min-w-0 truncate text-[13.5px]" title={why}>
            {why}
          </p>
        ) : (
          <p className="ml-auto truncate text-[13px] text-pencil">
            arrows choose, Shift lengthens, − and + change the unit, Space hears it in its place, Enter uses it
          </p>
        )}
      </div>
      {width > 0 && (
        <Rows cell={cell} line={line} judged={judged.data?.takes} width={width} onChoose={onChoose} onUse={onUse} />
      )}
    </section>
  )
}

interface RowsProps {
  cell: Cell
  line: CompLine
  judged: JudgedTake[] | undefined
  width: number
  onChoose: (phrase: Phrase, take: Take) => void
  onUse: (phrase: Phrase, take: Take) => void
}

function Rows({ cell, line, judged, width, onChoose, onUse }: RowsProps) {
  if (!cell.rows.length) return <p className="p-4 text-pencil">No take of this section yet: Page Down rolls one.</p>
  return (
    <RowsInSight
      rows={cell.rows}
      meant={cell.take?.id}
      heightIn={() => (cell.rows.length <= 3 ? HIGHEST_ROW : LOWEST_ROW + 12)}
    >
      {(take, height) => (
        <Row
          take={take}
          cell={cell}
          line={line}
          judged={judged?.find((entry) => entry.take_id === take.id)}
          width={width}
          height={height}
          onChoose={onChoose}
          onUse={onUse}
        />
      )}
    </RowsInSight>
  )
}

function Row({
  take,
  cell,
  line,
  judged,
  width,
  height,
  onChoose,
  onUse,
}: Omit<RowsProps, 'judged'> & { take: Take; judged: JudgedTake | undefined; height: number }) {
  const { phrases, section } = cell.line
  const widths = useMemo(
    () => phrases.map((phrase) => ((width - NAMES - 8) * phrase.bars) / section.bars - BETWEEN),
    [phrases, section.bars, width],
  )
  const on = take.id === cell.take?.id
  return (
    <div className="flex items-center" style={{ height }}>
      <p
        className={`w-[102px] shrink-0 pl-2.5 text-[14.5px] leading-tight ${on ? 'font-bold' : 'font-semibold'} ${take.rating === 'struck' ? 'text-pencil line-through' : ''}`}
      >
        Take {take.number}
        {take.rating === 'starred' && ' ★'}
      </p>
      <div className="flex" style={{ gap: BETWEEN }}>
        {phrases.map((phrase, index) => {
          const used = shareUsed(line, take, phrase)
          const part = on ? partOf(cell.range, phrase) : null
          const meant = part !== null
          const found = judged?.cells[index]
          return (
            <button
              key={phrase.first_bar}
              aria-label={`Take ${take.number}, bars ${phrase.first_bar} to ${phrase.first_bar + phrase.bars - 1}${used ? ', used' : ''}`}
              aria-pressed={meant}
              onClick={() => onChoose(phrase, take)}
              onDoubleClick={() => onUse(phrase, take)}
              className={`relative border-2 ${used > 0.5 ? 'border-ink bg-sheet' : used ? 'border-dashed border-ink' : 'border-rule'} ${meant ? 'outline-[3px] outline-offset-1 outline-mic' : ''}`}
              style={{ width: widths[index], height: height - 8 }}
            >
              {part && (part.from > 0 || part.to < 1) && (
                <span
                  className="absolute inset-y-0 border-x-2 border-mic bg-sheet"
                  style={{ left: `${100 * part.from}%`, width: `max(3px, ${100 * (part.to - part.from)}%)` }}
                />
              )}
              <CellWave take={take} phrase={phrase} width={widths[index]! - 8} height={height - 16} bold={used > 0.5} />
              {found && found.marks.length > 0 && (
                <span className="absolute right-1 bottom-0 bg-paper/85 px-0.5 text-[12px]">
                  {found.marks.map((mark) => `${mark.verdict === 'fix' ? '!' : '~'} ${mark.says}`).join('  ')}
                </span>
              )}
              {found?.played && found.marks.length === 0 && (
                <span
                  className="absolute right-1 bottom-0 bg-paper/85 px-0.5 text-[12.5px] text-pencil"
                  aria-label="nothing found"
                >
                  ✓
                </span>
              )}
            </button>
          )
        })}
      </div>
    </div>
  )
}

/** Which part of a phrase a range holds, in shares of it; null where it holds none. */
function partOf(range: Range, phrase: Phrase) {
  const frames = phrase.to_frame - phrase.from_frame
  const from = Math.max(0, (range.from_frame - phrase.from_frame) / frames)
  const to = Math.min(1, (range.to_frame - phrase.from_frame) / frames)
  return to > from ? { from, to } : null
}

/** How much of a phrase a take plays in the comp, 0 to 1. */
function shareUsed(line: CompLine, take: Take, phrase: Phrase) {
  const frames = line.pieces
    .filter((piece) => piece.take_id === take.id)
    .map((piece) => Math.min(piece.to_frame, phrase.to_frame) - Math.max(piece.from_frame, phrase.from_frame))
    .filter((overlap) => overlap > 0)
    .reduce((sum, overlap) => sum + overlap, 0)
  const share = frames / (phrase.to_frame - phrase.from_frame)
  // A border that was moved to where nobody hears it makes no other choice.
  return share < 0.08 ? 0 : share
}

function CellWave({
  take,
  phrase,
  width,
  height,
  bold,
}: {
  take: Take
  phrase: Phrase
  width: number
  height: number
  bold: boolean
}) {
  const wave = useWave(take.id).data
  const path = useMemo(() => {
    const columns = wave?.channels[take.heard_first]
    if (!wave || !columns || width <= 0) return ''
    return wavePath(
      columns,
      wave.framesPerColumn,
      { startFrame: phrase.from_frame - take.from_frame, endFrame: phrase.to_frame - take.from_frame },
      { x: 2, y: height / 2, width: width - 4, height: (height * 127) / wave.loudest[take.heard_first]! },
    )
  }, [wave, take, phrase, width, height])
  return (
    <svg width={Math.max(0, width)} height={height} className="relative block" aria-hidden>
      {path ? (
        <path d={path} fill={bold ? INK[take.channels[take.heard_first]?.kind ?? 'di'] : 'var(--faint)'} />
      ) : (
        <path d={`M4 ${height / 2}H${width - 4}`} stroke="var(--faint)" strokeDasharray="1 5" strokeWidth="1.6" />
      )}
    </svg>
  )
}
