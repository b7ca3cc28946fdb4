import { Star } from 'lucide-react'
import { memo, useMemo } from 'react'
import type { Finding, JudgedTake, SheetLine, Take } from '../api/client'
import { useWave } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useTransport } from '../desk/Transport'
import { clock, signed } from '../ui/format'
import type { Wave } from '../wave/loadWave'
import { wavePath } from '../wave/wavePath'
import type { SideBySide } from './useSideBySide'
import { useTakeActs } from './useTakeActs'

/** Room for the names of the takes, left of the phrases. */
export const NAMES = 102
const BETWEEN = 6
/** Up to this height a name has room for one more line. */
const LOW_ROW = 50
/** Many small waves are drawn without smoothing: without a graphics card, their smoothing alone holds up scrolling. */
const SMOOTH_PHRASES = 8

interface TakeRowProps {
  take: Take
  line: SheetLine
  judged: JudgedTake | undefined
  width: number
  height: number
  sideBySide: SideBySide
  onDetails: () => void
  onEvidence: (take: Take, finding: Finding) => void
}

/**
 * One take: its name, how it stands against the click, and its phrases with what was found in them. Scrolling draws only
 * the rows that come into sight.
 */
export const TakeRow = memo(function TakeRow({
  take,
  line,
  judged,
  width,
  height,
  sideBySide,
  onDetails,
  onEvidence,
}: TakeRowProps) {
  const { take: chosen, chooseTake } = useChoice()
  const { seek } = useTransport()
  const acts = useTakeActs()
  const wave = useWave(take.id).data
  const on = chosen?.id === take.id
  const { phrases, section } = line
  const widths = useMemo(
    () => phrases.map((phrase) => ((width - NAMES - 8) * phrase.bars) / section.bars - BETWEEN),
    [phrases, section.bars, width],
  )
  const timing = judged?.timing
  const moved = take.slip_frames !== 0
  const { beside } = sideBySide
  const place = beside ? beside.ids.indexOf(take.id) + 1 : 0

  return (
    <div className={`group/row flex items-center ${on ? 'bg-sheet' : ''}`} style={{ height }}>
      <div className="flex w-[102px] shrink-0 items-center pl-2">
        <button
          onClick={() => chooseTake(take.id)}
          onDoubleClick={onDetails}
          aria-pressed={on}
          className={`min-w-0 grow text-left leading-tight ${take.rating === 'struck' ? 'text-pencil line-through' : ''}`}
        >
          <span className={`flex items-center gap-1.5 text-[14.5px] ${on ? 'font-bold' : 'font-semibold'}`}>
            Take {take.number}
            {place > 0 && (
              <kbd
                className={`grid size-5 place-items-center border border-ink font-text text-[13px] leading-none ${
                  sideBySide.heard === take.id ? 'bg-ink text-paper' : 'bg-sheet'
                }`}
              >
                {place}
              </kbd>
            )}
          </span>
          {(!moved || height > LOW_ROW) && (
            <span
              className="block truncate text-[12.5px] text-pencil"
              title={
                timing &&
                `${signed(timing.mean_ms)} ms against the click, ± ${timing.spread_ms} ms; ${signed(timing.drift_ms)} ms drift`
              }
            >
              {timing && timing.strokes.length > 3
                ? `${signed(timing.mean_ms)} ±${Math.round(timing.spread_ms)}${timing.spread_ms < 99.5 ? ' ms' : ''}`
                : clock(take.recorded_at)}
            </span>
          )}
          {judged?.cascade && (
            <span className="block truncate text-[12px] text-mic" title={judged.cascade.says}>
              ! {judged.cascade.says.split(',')[0]}
            </span>
          )}
          {moved && (
            <span className="block text-[11.5px] whitespace-nowrap text-mic" title="It is not where it was played.">
              moved {signed(take.slip_ms)} ms
            </span>
          )}
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
      <div className="relative isolate flex" style={{ gap: BETWEEN }}>
        {phrases.map((phrase, index) => {
          const cell = judged?.cells[index]
          return (
            <div
              key={phrase.first_bar}
              className={`relative border ${place > 0 && beside?.phrase.from_frame === phrase.from_frame ? 'outline-2 outline-offset-1 outline-mic' : ''} ${on ? 'border-[2px] border-ink bg-sheet' : 'border-rule'}`}
              style={{ width: widths[index], height: height - 6 }}
            >
              <button
                aria-label={`Take ${take.number}, bars ${phrase.first_bar} to ${phrase.first_bar + phrase.bars - 1}`}
                onClick={() => {
                  if (!beside) {
                    chooseTake(take.id)
                    seek(phrase.from_frame)
                  } else if (beside.phrase.from_frame === phrase.from_frame && place > 0) sideBySide.hear(take.id)
                  else void sideBySide.open(phrase, take.id)
                }}
                className="block size-full"
              />
              {cell && cell.marks.length > 0 && (
                <ul className="absolute z-10 right-1 bottom-0.5 flex max-w-[96%] flex-wrap justify-end gap-x-2 text-[12.5px] leading-[1.35]">
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
                <span
                  className="absolute z-10 right-1.5 bottom-0.5 text-[12.5px] text-pencil"
                  aria-label="nothing found"
                >
                  ✓
                </span>
              )}
            </div>
          )
        })}
        <PhraseWaves take={take} wave={wave} phrases={phrases} widths={widths} height={height - 6} bold={on} />
      </div>
    </div>
  )
})

interface PhraseWavesProps {
  take: Take
  wave: Wave | undefined
  phrases: SheetLine['phrases']
  widths: number[]
  height: number
  bold: boolean
}

/** The waves of a take's phrases in one drawing: a drawing for each would cost as much as all the rest of a row. */
function PhraseWaves({ take, wave, phrases, widths, height, bold }: PhraseWavesProps) {
  const { comparison, heard } = useChoice()
  // The chosen take shows the channel that is heard; the others the one that they would be heard by.
  const sound = bold ? comparison?.sounds.find((entry) => entry.key === heard && entry.wave_id === take.id) : undefined
  const index = sound?.wave_channel ?? take.heard_first
  const kind = take.channels[index]?.kind ?? 'di'
  // A path for each: what is redrawn when rows scroll by are then only those it lies on.
  const paths = useMemo(() => {
    const columns = wave?.channels[index]
    if (!wave || !columns) return []
    let left = 0
    return phrases.map((phrase, place) => {
      const width = widths[place]!
      const [from, to] = [left + 5, left + width - 5]
      left += width + BETWEEN
      const played = wavePath(
        columns,
        wave.framesPerColumn,
        { startFrame: phrase.from_frame - take.from_frame, endFrame: phrase.to_frame - take.from_frame },
        { x: from, y: height / 2, width: to - from, height: (height - 10) * (127 / wave.loudest[index]!) },
      )
      return { at: phrase.first_bar, played, rest: `M${from + 3} ${height / 2}H${to - 3}` }
    })
  }, [wave, index, phrases, take.from_frame, widths, height])
  return (
    <svg
      className="pointer-events-none absolute inset-0 size-full"
      shapeRendering={phrases.length > SMOOTH_PHRASES ? 'optimizeSpeed' : 'auto'}
      aria-hidden
    >
      {paths.map(({ at, played, rest }) =>
        played ? (
          <path key={at} d={played} fill={bold ? `var(--${kind})` : 'var(--faint)'} />
        ) : (
          <path key={at} d={rest} stroke="var(--faint)" strokeDasharray="1 5" strokeWidth="1.6" />
        ),
      )}
    </svg>
  )
}
