import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { SheetLine, Take } from '../api/client'
import { useLive } from '../api/live'
import { useWave } from '../api/queries'
import { useDesk } from '../frame/SessionContext'
import { useWidth } from '../frame/useWidth'
import { Verdict } from '../signal/Verdict'
import { clock, count } from '../signal/format'
import { NextRoll } from './NextRoll'
import { RollingRows } from './RollingRows'
import type { Wave } from '../wave/loadWave'
import { wavePath } from '../wave/wavePath'

const NAMES = 102
const LOWEST_ROW = 44
const HIGHEST_ROW = 84

/** The chosen section, take by take: rows are takes, columns are phrases. */
export function PhraseGrid({ onDetails }: { onDetails: () => void }) {
  const { sheet, sectionId, takes, part } = useDesk()
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
        <p className="ml-auto truncate text-[13px] text-pencil">1 to 9 choose what is heard, D hears it dry, I shows details</p>
      </div>
      {width > 0 && rolling && rolling.window_from_frame === line.from_frame ? (
        <div className="min-h-0 grow overflow-y-auto">
          <RollingRows line={line} rolling={rolling} width={width} />
        </div>
      ) : rows.length === 0 ? (
        <div className="min-h-0 grow overflow-y-auto">
          <NextRoll line={line} />
        </div>
      ) : (
        width > 0 && <TakeRows rows={rows} line={line} width={width} onDetails={onDetails} />
      )}
    </section>
  )
}

interface TakeRowsProps {
  rows: Take[]
  line: SheetLine
  width: number
  onDetails: () => void
}

/** The rows that are in sight, and some beyond: a long evening's takes cost no more than the first ten. */
function TakeRows({ rows, line, width, onDetails }: TakeRowsProps) {
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
            <TakeRow take={rows[item.index]!} line={line} width={width} height={height} onDetails={onDetails} />
          </div>
        ))}
      </div>
    </div>
  )
}

interface TakeRowProps {
  take: Take
  line: SheetLine
  width: number
  height: number
  onDetails: () => void
}

function TakeRow({ take, line, width, height, onDetails }: TakeRowProps) {
  const { take: chosen, chooseTake, seek } = useDesk()
  const wave = useWave(take.id).data
  const on = chosen?.id === take.id
  const total = width - NAMES - 8
  const bars = line.section.bars

  return (
    <div className={`flex items-center ${on ? 'bg-sheet' : ''}`} style={{ height }}>
      <button
        onClick={() => chooseTake(take.id)}
        onDoubleClick={onDetails}
        aria-pressed={on}
        className="w-[102px] shrink-0 pl-2.5 text-left leading-tight"
      >
        <span className={`block text-[14.5px] ${on ? 'font-bold' : 'font-semibold'}`}>Take {take.number}</span>
        <span className="block truncate text-[12.5px] text-pencil">
          {clock(take.recorded_at)} <Verdict verdict={take.verdict} />
        </span>
      </button>
      <div className="flex" style={{ gap: 6 }}>
        {line.phrases.map((phrase) => (
          <button
            key={phrase.first_bar}
            aria-label={`Take ${take.number}, bars ${phrase.first_bar} to ${phrase.first_bar + phrase.bars - 1}`}
            onClick={() => {
              chooseTake(take.id)
              seek(phrase.from_frame)
            }}
            className={`relative border ${on ? 'border-[2px] border-ink bg-sheet' : 'border-rule'}`}
            style={{ width: (total * phrase.bars) / bars - 6, height: height - 6 }}
          >
            <PhraseWave take={take} wave={wave} from={phrase.from_frame} to={phrase.to_frame} width={(total * phrase.bars) / bars - 10} height={height - 10} bold={on} />
          </button>
        ))}
      </div>
    </div>
  )
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
