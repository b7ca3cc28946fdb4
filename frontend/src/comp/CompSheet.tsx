import { memo, useMemo } from 'react'
import type { Comp, CompJoin, CompLine, CompPiece, Phrase, PieceLevel, Sheet, SheetLine, Take } from '../api/client'
import { useWave } from '../api/queries'
import { usePlayhead } from '../desk/usePlayhead'
import { useWidth } from '../shell/useSize'
import { INK } from '../ui/Glyph'
import { figure, signed } from '../ui/format'
import { wavePath } from '../wave/wavePath'
import type { Cell, Range } from './useCompCell'

export const NAMES = 102
const LINE = 52
const BASE = 34
const WAVE_HEIGHT = 28

/** The performance as a chart: one line a section, every piece with its take's number, its joins, and the holes. */
export function CompSheet({
  sheet,
  comp,
  takes,
  cell,
  levels,
  join,
  onChoose,
  onJoin,
}: {
  sheet: Sheet
  comp: Comp
  takes: Take[]
  cell: Cell | undefined
  levels: PieceLevel[]
  /** The join that is looked at from close up. */
  join: number | null
  onChoose: (phrase: Phrase) => void
  onJoin: (frame: number) => void
}) {
  const [width, box] = useWidth<HTMLElement>()
  const longest = Math.max(1, ...sheet.lines.map((line) => line.bars.length))
  const barWidth = Math.floor((width - NAMES - 8) / longest)
  return (
    <section
      ref={box}
      aria-label="The comp"
      className={`${join === null ? 'max-h-[56%]' : 'max-h-[24%]'} shrink-0 overflow-y-auto`}
    >
      {width > 0 &&
        sheet.lines.map((line) => {
          const of = comp.lines.find((entry) => entry.section_id === line.section.id)
          const chosen = line === cell?.line
          const looked = join !== null && of?.joins.some((entry) => entry.frame === join)
          return (
            <div
              key={line.section.id}
              ref={(element) => {
                if (looked) element?.scrollIntoView({ block: 'nearest' })
              }}
              className={`relative ${chosen ? 'bg-sheet outline-[1.5px] -outline-offset-1 outline-ink' : ''}`}
            >
              <button
                className="absolute inset-y-0 left-0 w-[98px] pl-2.5 text-left focus-visible:-outline-offset-3"
                aria-pressed={chosen}
                onClick={() => line.phrases[0] && onChoose(line.phrases[0])}
              >
                <span className="block font-name text-[16px] leading-5 font-[650]">{line.section.name}</span>
                <span className="block text-[12.5px] text-pencil">{of?.settled ? 'comped' : 'follows takes'}</span>
              </button>
              <svg width={width} height={LINE} className="block select-none">
                {of && <Line line={line} of={of} takes={takes} levels={levels} barWidth={barWidth} />}
                {line.phrases.map((phrase) => (
                  <PhraseTarget
                    key={phrase.first_bar}
                    phrase={phrase}
                    line={line}
                    barWidth={barWidth}
                    onChoose={() => onChoose(phrase)}
                  />
                ))}
                {chosen && join === null && cell && <Chosen range={cell.range} line={line} barWidth={barWidth} />}
                {of?.joins.map((entry) => (
                  <JoinTarget
                    key={entry.frame}
                    join={entry}
                    line={line}
                    barWidth={barWidth}
                    on={entry.frame === join}
                    onChoose={() => onJoin(entry.frame)}
                  />
                ))}
                <Playhead line={line} span={barWidth * line.bars.length} />
              </svg>
            </div>
          )
        })}
    </section>
  )
}

interface LineProps {
  line: SheetLine
  of: CompLine
  takes: Take[]
  levels: PieceLevel[]
  barWidth: number
}

/** Bar lines and numbers, pieces, joins and holes; drawn anew only when the comp has changed. */
const Line = memo(function Line({ line, of, takes, levels, barWidth }: LineProps) {
  const span = barWidth * line.bars.length
  const xOf = (frame: number) => NAMES + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * span
  return (
    <g>
      <path
        d={[...line.bars.keys(), line.bars.length]
          .map((index) => `M${NAMES + index * barWidth} 5V${LINE - 5}`)
          .join('')}
        stroke="var(--rule)"
      />
      {line.bars.map((bar, index) => (
        <text key={bar.number} x={NAMES + index * barWidth + 4} y="14" fontSize="11.5" fill="var(--pencil)">
          {bar.number}
        </text>
      ))}
      {of.pieces.map((piece, index) => (
        <Piece
          key={piece.from_frame}
          piece={piece}
          take={takes.find((entry) => entry.id === piece.take_id)}
          goesOn={of.pieces[index - 1]?.take_id === piece.take_id}
          off={levels.find((level) => level.from_frame === piece.from_frame)}
          x={xOf(piece.from_frame)}
          width={xOf(piece.to_frame) - xOf(piece.from_frame)}
        />
      ))}
      {of.holes.map((hole) => {
        const [from, to] = [xOf(hole.from_frame), xOf(hole.to_frame)]
        return (
          <g key={hole.from_frame}>
            <path
              d={`M${from + 4} ${BASE} H${to - 4}`}
              stroke="var(--faint)"
              strokeWidth="1.8"
              strokeDasharray="1 6"
              strokeLinecap="round"
            />
            {to - from > 90 && (
              <text
                x={(from + to) / 2}
                y={BASE + 4}
                fontSize="13"
                textAnchor="middle"
                fill="var(--mic)"
                stroke="var(--paper)"
                strokeWidth="7"
                paintOrder="stroke"
              >
                {hole.words} empty
              </text>
            )}
          </g>
        )
      })}
    </g>
  )
})

/** A stretch of a take: its wave, its number, and the mark of the join before it. */
function Piece({
  piece,
  take,
  goesOn,
  off,
  x,
  width,
}: {
  piece: CompPiece
  take: Take | undefined
  off: PieceLevel | undefined
  /** It is the take before it too: its number stands there. */
  goesOn: boolean
  x: number
  width: number
}) {
  const wave = useWave(piece.take_id).data
  const frames = piece.to_frame - piece.from_frame
  const path = useMemo(() => {
    const columns = take && wave?.channels[take.heard_first]
    if (!wave || !take || !columns) return ''
    // As it lies in the comp; what was moved there is drawn where it was recorded.
    const moved = Math.round((piece.moved_ms * take.rate_hz) / 1000)
    const from = piece.from_frame - moved - take.from_frame
    return wavePath(
      columns,
      wave.framesPerColumn,
      { startFrame: from, endFrame: from + frames / (1 + piece.longer_percent / 100) },
      {
        x: x + 1,
        y: BASE,
        width: Math.max(1, width - 2),
        height: (WAVE_HEIGHT * 127) / wave.loudest[take.heard_first]!,
      },
    )
  }, [wave, take, piece, frames, x, width])
  const ink = INK[take?.channels[take.heard_first]?.kind ?? 'di']
  return (
    <g opacity={piece.in_bin ? 0.5 : 1}>
      {path && <path d={path} fill={piece.settled ? ink : 'var(--faint)'} />}
      {piece.eased.map((stroke) => (
        <EasedMark key={stroke.frame} stroke={stroke} x={x + ((stroke.frame - piece.from_frame) / frames) * width} />
      ))}
      {width > 26 && (!goesOn || piece.moved_ms !== 0 || piece.longer_percent !== 0 || off) && (
        <text
          x={x + 9}
          y={LINE - 5}
          fontSize="12.5"
          fill="var(--ink)"
          stroke="var(--paper)"
          strokeWidth="4"
          paintOrder="stroke"
        >
          {!goesOn && <tspan fontWeight="700">{piece.take_number ?? 'gone'} </tspan>}
          {piece.in_bin && 'in the bin '}
          {piece.lacks.length > 0 && !goesOn && <tspan fill="var(--mic)">no {piece.lacks.join(', ')} </tspan>}
          {piece.longer_percent !== 0 &&
            `${figure(Math.abs(piece.longer_percent))} % ${piece.longer_percent > 0 ? 'longer' : 'shorter'} `}
          {piece.moved_ms !== 0 &&
            piece.longer_percent === 0 &&
            (piece.lifted ? 'lifted ' : `${signed(piece.moved_ms, 1)} ms `)}
          {off && (width > 170 || piece.longer_percent === 0) && (
            <tspan fill="var(--mic)">{signed(off.off_db, 1)} dB</tspan>
          )}
        </text>
      )}
    </g>
  )
}

/** A stroke that was eased points to where it was brought, above the wave; one that was tuned up or down, below it. */
function EasedMark({ stroke, x }: { stroke: CompPiece['eased'][number]; x: number }) {
  const [way, up] = [Math.sign(stroke.by_ms), -Math.sign(stroke.cents)]
  const says = [
    way !== 0 && `stroke eased by ${signed(stroke.by_ms, 1)} ms`,
    up !== 0 && `tuned by ${signed(stroke.cents, 1)} cents`,
  ]
  return (
    <g fill="var(--ink)">
      <title>{says.filter(Boolean).join(', ')}</title>
      {way !== 0 && <path d={`M${x + 4.5 * way} 20l${-7 * way} -4v8Z`} />}
      {up !== 0 && <path d={`M${x} ${LINE - 5 + 4 * up}l-4 ${-6.5 * up}h8Z`} />}
    </g>
  )
}

/** A join that is clean is a small ring on the line; one to listen to a triangle that stands out. */
function JoinMark({ join, x }: { join: CompJoin; x: number }) {
  if (join.ms === null) return <path d={`M${x} 19V${LINE - 4}`} stroke="var(--ink)" strokeDasharray="2 3" />
  return (
    <g>
      <title>
        {[join.look || `clean join, ${Math.round(join.ms)} ms`, join.other_rig && 'another rig']
          .filter(Boolean)
          .join('; ')}
      </title>
      <path d={`M${x} 19V${LINE - 4}`} stroke="var(--ink)" strokeWidth="1.4" />
      {join.look ? (
        <path d={`M${x} 17 l7 12 h-14Z`} fill="var(--paper)" stroke="var(--mic)" strokeWidth="2" />
      ) : (
        <circle cx={x} cy={BASE} r="4" fill="var(--paper)" stroke="var(--ink)" strokeWidth="1.6" />
      )}
      {join.other_rig && <path d={`M${x - 4.5} ${LINE - 8}h9v5h-9Z`} fill="var(--mic)" />}
    </g>
  )
}

function PhraseTarget({
  phrase,
  line,
  barWidth,
  onChoose,
}: {
  phrase: Phrase
  line: SheetLine
  barWidth: number
  onChoose: () => void
}) {
  const x = NAMES + (phrase.first_bar - line.section.first_bar) * barWidth
  return (
    <rect x={x + 1} y="3" width={phrase.bars * barWidth - 2} height={LINE - 6} fill="transparent" onClick={onChoose} />
  )
}

/** What the arrows stand on. */
function Chosen({ range, line, barWidth }: { range: Range; line: SheetLine; barWidth: number }) {
  const [from, to] = [range.from_frame, range.to_frame].map((frame) => xIn(line, barWidth, frame)) as [number, number]
  return (
    <rect
      x={from + 1}
      y="3"
      width={Math.max(3, to - from - 2)}
      height={LINE - 6}
      fill="none"
      stroke="var(--mic)"
      strokeWidth="2"
      pointerEvents="none"
    />
  )
}

const xIn = (line: SheetLine, barWidth: number, frame: number) =>
  NAMES + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * barWidth * line.bars.length

/** A join's mark, which opens it from close up. */
function JoinTarget({
  join,
  line,
  barWidth,
  on,
  onChoose,
}: {
  join: CompJoin
  line: SheetLine
  barWidth: number
  on: boolean
  onChoose: () => void
}) {
  const x = Math.max(NAMES + 1, xIn(line, barWidth, join.frame))
  return (
    <g onClick={onChoose} className="cursor-pointer">
      {on && <rect x={x - 12} y="12" width="24" height={LINE - 14} fill="none" stroke="var(--mic)" strokeWidth="2" />}
      <JoinMark join={join} x={x} />
      <rect x={x - 9} y="14" width="18" height={LINE - 16} fill="transparent" />
    </g>
  )
}

function Playhead({ line, span }: { line: SheetLine; span: number }) {
  const x = usePlayhead((frame) =>
    frame >= line.from_frame && frame < line.to_frame
      ? Math.round(10 * (NAMES + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * span)) / 10
      : null,
  )
  return x === null ? null : <path d={`M${x} 1 V${LINE - 1}`} stroke="var(--ink)" strokeWidth="2.5" />
}
