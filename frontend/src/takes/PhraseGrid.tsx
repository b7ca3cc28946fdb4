import { useMemo } from 'react'
import type { SheetLine, Take } from '../api/client'
import { useDesk } from '../frame/SessionContext'
import { useWidth } from '../frame/Cord'
import { Verdict } from '../signal/Verdict'
import { clock, count } from '../signal/format'
import { useWave } from '../wave/useWave'
import { loudest, wavePath } from '../wave/wavePath'

const NAMES = 92
const ROW = 44

/** The chosen section, take by take: rows are takes, columns are phrases. */
export function PhraseGrid({ onDetails }: { onDetails: () => void }) {
  const { sheet, sectionId, takes, part } = useDesk()
  const [width, box] = useWidth()
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
      <div className="min-h-0 grow overflow-y-auto">
        {rows.length === 0 ? (
          <EmptyRow line={line} />
        ) : (
          rows.map((take) => <TakeRow key={take.id} take={take} line={line} width={width} onDetails={onDetails} />)
        )}
      </div>
    </section>
  )
}

function EmptyRow({ line }: { line: SheetLine }) {
  const { rollOrStop } = useDesk()
  return (
    <div className="mx-2.5 flex items-center justify-between border border-dashed border-faint px-6 py-5">
      <p>
        {line.section.name} is not played yet. Roll plays it from bar {line.section.first_bar}, after the count-in.
      </p>
      <button onClick={rollOrStop} className="rounded-full bg-roll px-5 py-2 font-semibold text-white">
        Roll {line.section.name.toLowerCase()}
      </button>
    </div>
  )
}

interface TakeRowProps {
  take: Take
  line: SheetLine
  width: number
  onDetails: () => void
}

function TakeRow({ take, line, width, onDetails }: TakeRowProps) {
  const { take: chosen, chooseTake, seek } = useDesk()
  const on = chosen?.id === take.id
  const total = width - NAMES - 8
  const bars = line.section.bars

  return (
    <div className={`flex items-center ${on ? 'bg-sheet' : ''}`} style={{ height: ROW }}>
      <button
        onClick={() => chooseTake(take.id)}
        onDoubleClick={onDetails}
        aria-pressed={on}
        className="w-[92px] shrink-0 pl-2.5 text-left leading-tight"
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
            className={`relative h-[38px] border ${on ? 'border-[2px] border-ink bg-sheet' : 'border-rule'}`}
            style={{ width: (total * phrase.bars) / bars - 6 }}
          >
            <PhraseWave take={take} from={phrase.from_frame} to={phrase.to_frame} width={(total * phrase.bars) / bars - 10} bold={on} />
          </button>
        ))}
      </div>
    </div>
  )
}

function PhraseWave({ take, from, to, width, bold }: { take: Take; from: number; to: number; width: number; bold: boolean }) {
  const wave = useWave(take.id)
  const { comparison, heard } = useDesk()
  // The chosen take shows the channel that is heard; the others their microphone.
  const sound = bold ? comparison?.sounds.find((entry) => entry.key === heard && entry.wave_id === take.id) : undefined
  const mic = take.channels.findIndex((channel) => channel.kind === 'mic')
  const index = sound?.wave_channel ?? Math.max(0, mic)
  const kind = take.channels[index]?.kind ?? 'di'
  const path = useMemo(() => {
    const columns = wave.data?.channels[index]
    if (!columns) return ''
    return wavePath(
      columns,
      wave.data!.framesPerColumn,
      { startFrame: from - take.from_frame, endFrame: to - take.from_frame },
      { x: 3, y: 17, width: width - 6, height: 28 * (127 / loudest(columns)) },
    )
  }, [wave.data, index, from, to, take.from_frame, width])
  return (
    <svg width="100%" height="34" className="block" aria-hidden>
      {path ? (
        <path d={path} fill={bold ? `var(--${kind})` : 'var(--faint)'} />
      ) : (
        wave.data && <path d={`M6 17 H${width - 6}`} stroke="var(--faint)" strokeDasharray="1 5" strokeWidth="1.6" />
      )}
    </svg>
  )
}
