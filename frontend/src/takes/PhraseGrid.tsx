import { Star } from 'lucide-react'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Finding, Judged, JudgedTake, SheetLine, Take } from '../api/client'
import { playedSpan, useLive } from '../api/live'
import { useJudged, useWave } from '../api/queries'
import { useDesk } from '../frame/SessionContext'
import { useWidth } from '../frame/useWidth'
import { clock, count } from '../signal/format'
import { Evidence, type Evident } from './Evidence'
import { NextRoll } from './NextRoll'
import { RollingRows } from './RollingRows'
import { useTakeActs } from './useTakeActs'
import type { Wave } from '../wave/loadWave'
import { wavePath } from '../wave/wavePath'

const NAMES = 102
const LOWEST_ROW = 44
const HIGHEST_ROW = 84

/** The chosen section, take by take: rows are takes, columns are phrases. */
export function PhraseGrid({ onDetails }: { onDetails: () => void }) {
  const { sheet, sectionId, takes, part } = useDesk()
  const acts = useTakeActs()
  const judged = useJudged(part?.id, sectionId)
  const [evident, setEvident] = useState<Evident | null>(null)
  const [width, box] = useWidth<HTMLElement>()
  const { rolling } = useLive()
  const line = sheet?.lines.find((entry) => entry.section.id === sectionId)
  if (!line) return null
  const rows = takes.filter((take) => line.take_ids.includes(take.id))
  const binned = takes.filter((take) => take.part_id === part?.id && take.binned).length

  return (
    <section aria-label="Takes of the section" ref={box} className="flex min-h-0 grow flex-col pt-2">
      <div className="flex items-baseline gap-6 px-2.5 pb-1.5 whitespace-nowrap">
        <h2 className="text-[18px]">{line.section.name}, take by take</h2>
        <p className="text-[13px] text-pencil">
          phrases of {count(line.section.phrase_bars, 'bar')} · {count(rows.length, 'take')}
          {binned > 0 && ` · ${binned} in the bin`}
        </p>
        {judged.isFetching && (
          <p role="status" className="text-[13px] text-pencil">
            listening…
          </p>
        )}
        <span className="ml-auto" />
        {rows.some((take) => take.rating === 'starred') && (
          <button onClick={() => acts.keepStarred(rows)} className="text-[13px] text-pencil underline underline-offset-4 hover:text-ink">
            keep only the starred
          </button>
        )}
        <p className="truncate text-[13px] text-pencil">S stars, X strikes out, I shows details</p>
      </div>
      {width > 0 && rolling && playedSpan(rolling).from_frame < line.to_frame && playedSpan(rolling).to_frame > line.from_frame ? (
        <div className="min-h-0 grow overflow-y-auto">
          <RollingRows line={line} rolling={rolling} width={width} />
        </div>
      ) : rows.length === 0 ? (
        <div className="min-h-0 grow overflow-y-auto">
          <NextRoll line={line} />
        </div>
      ) : (
        width > 0 && (
          <TakeRows
            rows={rows}
            line={line}
            judged={judged.data}
            width={width}
            onDetails={onDetails}
            onEvidence={(take, finding) => setEvident({ take, finding, other: withoutIt(rows, judged.data, take, finding, line) })}
          />
        )
      )}
      <Evidence evident={evident} onClose={() => setEvident(null)} />
    </section>
  )
}

/** The newest other take of the phrase that has nothing of the kind. */
function withoutIt(rows: Take[], judged: Judged | undefined, take: Take, finding: Finding, line: SheetLine): Take | undefined {
  const place = line.phrases.findIndex((phrase) => finding.at_frame < phrase.to_frame)
  return rows.find((row) => {
    const cell = judged?.takes.find((entry) => entry.take_id === row.id)?.cells[Math.max(0, place)]
    return row.id !== take.id && cell?.played && !cell.findings.some((entry) => entry.kind === finding.kind)
  })
}

interface TakeRowsProps {
  rows: Take[]
  line: SheetLine
  judged: Judged | undefined
  width: number
  onDetails: () => void
  onEvidence: (take: Take, finding: Finding) => void
}

/** The rows that are in sight, and some beyond: a long evening's takes cost no more than the first ten. */
function TakeRows({ rows, line, judged, width, onDetails, onEvidence }: TakeRowsProps) {
  const box = useRef<HTMLDivElement>(null)
  const [room, setRoom] = useState(0)
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setRoom(entry!.contentRect.height))
    observer.observe(box.current!)
    setRoom(box.current!.clientHeight)
    return () => observer.disconnect()
  }, [])
  // Few takes share the room that there is; many keep a height that can still be read.
  const height = Math.max(LOWEST_ROW, Math.min(HIGHEST_ROW, Math.floor(room / rows.length)))
  const inSight = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 3,
    getItemKey: (index) => rows[index]!.id,
  })
  useEffect(() => inSight.measure(), [inSight, height])
  return (
    <div ref={box} className="min-h-0 grow overflow-y-auto">
      <div className="relative" style={{ height: inSight.getTotalSize() }}>
        {inSight.getVirtualItems().map((item) => (
          <div key={item.key} className="absolute inset-x-0 top-0" style={{ transform: `translateY(${item.start}px)` }}>
            <TakeRow
              take={rows[item.index]!}
              line={line}
              judged={judged?.takes.find((entry) => entry.take_id === rows[item.index]!.id)}
              width={width}
              height={height}
              onDetails={onDetails}
              onEvidence={onEvidence}
            />
          </div>
        ))}
      </div>
    </div>
  )
}

interface TakeRowProps {
  take: Take
  line: SheetLine
  judged: JudgedTake | undefined
  width: number
  height: number
  onDetails: () => void
  onEvidence: (take: Take, finding: Finding) => void
}

function TakeRow({ take, line, judged, width, height, onDetails, onEvidence }: TakeRowProps) {
  const { take: chosen, chooseTake, seek } = useDesk()
  const acts = useTakeActs()
  const wave = useWave(take.id).data
  const on = chosen?.id === take.id
  const total = width - NAMES - 8
  const bars = line.section.bars
  const timing = judged?.timing

  return (
    <div className={`group/row flex items-center ${on ? 'bg-sheet' : ''}`} style={{ height }}>
      <div className="flex w-[102px] shrink-0 items-center pl-2">
        <button
          onClick={() => chooseTake(take.id)}
          onDoubleClick={onDetails}
          aria-pressed={on}
          className={`min-w-0 grow text-left leading-tight ${take.rating === 'struck' ? 'text-pencil line-through' : ''}`}
        >
          <span className={`block text-[14.5px] ${on ? 'font-bold' : 'font-semibold'}`}>Take {take.number}</span>
          <span
            className="block truncate text-[12.5px] text-pencil"
            title={timing && `${signed(timing.mean_ms)} ms against the click, ± ${timing.spread_ms} ms; ${signed(timing.drift_ms)} ms drift`}
          >
            {timing && timing.strokes.length > 3 ? `${signed(timing.mean_ms)} ±${Math.round(timing.spread_ms)} ms` : clock(take.recorded_at)}
          </span>
          {judged?.cascade && (
            <span className="block truncate text-[12px] text-mic" title={judged.cascade.says}>
              ! {judged.cascade.says.split(',')[0]}
            </span>
          )}
          {take.slip_frames !== 0 && height > 50 && <span className="block truncate text-[12px] text-mic">moved {signed(take.slip_ms)} ms</span>}
        </button>
        <button
          onClick={() => acts.rate(take, 'starred')}
          aria-label={`Star take ${take.number}`}
          aria-pressed={take.rating === 'starred'}
          className={`mr-0.5 ${take.rating === 'starred' ? '' : 'opacity-0 group-hover/row:opacity-60 focus-visible:opacity-100'}`}
        >
          <Star size={15} fill={take.rating === 'starred' ? 'currentColor' : 'none'} aria-hidden />
        </button>
      </div>
      <div className="flex" style={{ gap: 6 }}>
        {line.phrases.map((phrase, index) => {
          const cell = judged?.cells[index]
          const cellWidth = (total * phrase.bars) / bars - 6
          return (
            <div
              key={phrase.first_bar}
              className={`relative border ${on ? 'border-[2px] border-ink bg-sheet' : 'border-rule'}`}
              style={{ width: cellWidth, height: height - 6 }}
            >
              <button
                aria-label={`Take ${take.number}, bars ${phrase.first_bar} to ${phrase.first_bar + phrase.bars - 1}`}
                onClick={() => {
                  chooseTake(take.id)
                  seek(phrase.from_frame)
                }}
                className="block w-full"
              >
                <PhraseWave take={take} wave={wave} from={phrase.from_frame} to={phrase.to_frame} width={cellWidth - 4} height={height - 10} bold={on} />
              </button>
              {cell && cell.marks.length > 0 && (
                <ul className="absolute right-1 bottom-0.5 flex max-w-[96%] flex-wrap justify-end gap-x-2 text-[12.5px] leading-[1.35]">
                  {cell.marks.map((mark) => (
                    <li key={mark.kind} className={on ? 'bg-sheet/90' : 'bg-paper/90'}>
                      <button
                        onClick={() => onEvidence(take, mark)}
                        className={`px-0.5 hover:underline hover:underline-offset-2 ${mark.verdict === 'fix' ? 'font-bold text-mic' : 'text-ink'}`}
                      >
                        {mark.verdict === 'fix' ? '!' : '~'} {mark.says}
                      </button>
                    </li>
                  ))}
                </ul>
              )}
              {cell?.played && cell.marks.length === 0 && (
                <span className="absolute right-1.5 bottom-0.5 text-[12.5px] text-pencil" aria-label="nothing found">
                  ✓
                </span>
              )}
            </div>
          )
        })}
      </div>
    </div>
  )
}

/** Milliseconds with a sign: late is positive. */
function signed(ms: number): string {
  const whole = Math.round(ms)
  return whole > 0 ? `+${whole}` : whole < 0 ? `−${-whole}` : '0'
}

interface PhraseWaveProps {
  take: Take
  wave: Wave | undefined
  from: number
  to: number
  width: number
  height: number
  bold: boolean
}

function PhraseWave({ take, wave, from, to, width, height, bold }: PhraseWaveProps) {
  const { comparison, heard } = useDesk()
  // The chosen take shows the channel that is heard; the others their microphone.
  const sound = bold ? comparison?.sounds.find((entry) => entry.key === heard && entry.wave_id === take.id) : undefined
  const mic = take.channels.findIndex((channel) => channel.kind === 'mic')
  const index = sound?.wave_channel ?? Math.max(0, mic)
  const kind = take.channels[index]?.kind ?? 'di'
  const path = useMemo(() => {
    const columns = wave?.channels[index]
    if (!wave || !columns) return ''
    return wavePath(
      columns,
      wave.framesPerColumn,
      { startFrame: from - take.from_frame, endFrame: to - take.from_frame },
      { x: 3, y: height / 2, width: width - 6, height: (height - 6) * (127 / wave.loudest[index]!) },
    )
  }, [wave, index, from, to, take.from_frame, width, height])
  return (
    <svg width="100%" height={height} className="block" aria-hidden>
      {path ? (
        <path d={path} fill={bold ? `var(--${kind})` : 'var(--faint)'} />
      ) : (
        wave && <path d={`M6 ${height / 2} H${width - 6}`} stroke="var(--faint)" strokeDasharray="1 5" strokeWidth="1.6" />
      )}
    </svg>
  )
}
