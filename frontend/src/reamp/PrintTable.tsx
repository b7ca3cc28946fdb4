import type { CSSProperties } from 'react'
import type { Print, Tone } from '../api/client'
import { useChoice } from '../desk/Choice'
import { INK, Glyph } from '../ui/Glyph'
import { figure, level } from '../ui/format'
import { RunningCell, SoundCell } from './PrintCells'
import type { DrySource } from './printSources'
import type { Cell } from './usePrintPlan'

interface PrintTableProps {
  sources: DrySource[]
  /** What adds a column. */
  addTone?: React.ReactNode
  /** The columns. */
  tones: Tone[]
  printOf: (source: DrySource, tone: Tone) => Print | undefined
  marked: (cell: Cell) => boolean
  /** Mark these, or unmark them where all are. */
  onMark: (cells: Cell[]) => void
  sourceId: string | undefined
  onSource: (id: string) => void
  toneId: string | undefined
  onTone: (id: string) => void
  onAsk: (cell: Cell) => void
  onStop: (printId: string) => void
  /** Hear a print of a comp; those of takes are heard among the take's sounds. */
  onHearComp: (print: Print) => void
  heardPrint: string | null
}

const SOURCES_PX = 212
const CELL_PX = 158
const GAP_PX = 8
/** The miked amp stays beside its source, whatever is scrolled to. */
const BESIDE = 'sticky left-[220px] z-10 bg-paper shadow-[-8px_0_0_var(--paper)]'

const intoView = (element: HTMLElement | null) => element?.scrollIntoView?.({ block: 'nearest', inline: 'nearest' })

/** Dry sources down, tones across; a cell is a print, or the place for one. */
export function PrintTable(props: PrintTableProps) {
  const { sources, tones, printOf, marked, onMark, sourceId, onSource, toneId, onTone, onAsk, onStop } = props
  const { take: chosen, chooseTake, comparison, heard, hear } = useChoice()
  const row: CSSProperties = {
    gridTemplateColumns: `${SOURCES_PX}px repeat(${tones.length + 1}, minmax(${CELL_PX}px, 240px))`,
    minWidth: SOURCES_PX + (tones.length + 1) * (CELL_PX + GAP_PX),
  }
  const keyOf = (soundKey: string) => {
    const index = comparison?.sounds.findIndex((sound) => sound.key === soundKey) ?? -1
    return index >= 0 && index < 9 ? String(index + 1) : ''
  }
  const cell = (source: DrySource, tone: Tone): Cell => ({ material_id: source.id, tone_revision_id: tone.id })
  const free = (source: DrySource, tone: Tone) => !printOf(source, tone) || printOf(source, tone)!.state !== 'ready'
  const rowOf = (source: DrySource) => tones.filter((tone) => free(source, tone)).map((tone) => cell(source, tone))
  const columnOf = (tone: Tone) => sources.filter((source) => free(source, tone)).map((source) => cell(source, tone))

  return (
    <section aria-label="Prints" className="flex min-h-0 grow flex-col">
      <div
        className="min-h-0 grow overflow-auto pr-1"
        style={{ scrollbarGutter: 'stable', scrollPadding: `36px 0 0 ${SOURCES_PX + CELL_PX + 2 * GAP_PX}px` }}
      >
        <div className="sticky top-0 z-20 grid gap-x-2 bg-paper pb-1" style={row}>
          <span className="sticky left-0 z-10 self-stretch bg-paper pt-0.5 pl-1 text-pencil">{props.addTone}</span>
          <b className={`${BESIDE} px-2 font-name text-[16px]`}>Miked amp</b>
          {tones.map((tone) => (
            <span key={tone.id} className="flex min-w-0 items-baseline gap-2 pl-2">
              <button
                ref={tone.id === toneId ? intoView : undefined}
                onClick={() => onTone(tone.id)}
                aria-pressed={tone.id === toneId}
                className={`flex min-w-0 items-baseline gap-2 text-left ${tone.id === toneId ? 'underline decoration-sim decoration-2 underline-offset-4' : ''}`}
              >
                <b className="font-name text-[16px] whitespace-nowrap">{tone.name}</b>
                <span className="truncate text-[12.5px] text-pencil">r{tone.revision}</span>
              </button>
              <Mark
                label={`Mark ${tone.name} for all sources`}
                cells={columnOf(tone)}
                marked={marked}
                onMark={onMark}
                className="ml-auto"
              />
            </span>
          ))}
        </div>
        {sources.length === 0 && (
          <p className="border border-dashed border-faint px-6 py-5">
            There is no dry take yet. Roll one in Takes, or bring in a DI file there.
          </p>
        )}
        {sources.map((source) => {
          const { take } = source
          const on = source.id === sourceId
          const ofChosen = take !== undefined && take.id === chosen?.id
          const mic = take?.channels.find((channel) => channel.kind === 'mic')
          return (
            <div key={source.id} className="grid gap-x-2 pb-1.5" style={row}>
              <div className="sticky left-0 z-10 flex items-center gap-2 bg-paper">
                <button
                  ref={on ? intoView : undefined}
                  onClick={() => onSource(source.id)}
                  aria-pressed={on}
                  className="flex min-w-0 grow items-center gap-3 pl-1 text-left"
                >
                  <Glyph kind="di" size={16} />
                  <span className="min-w-0 leading-tight">
                    <span className={`block truncate text-[15px] ${on ? 'font-bold' : 'font-semibold'}`}>
                      {source.title}
                    </span>
                    <span className="block text-[12.5px] text-pencil">{source.detail}</span>
                  </span>
                </button>
                <Mark
                  label={`Mark ${source.title} for all tones`}
                  cells={rowOf(source)}
                  marked={marked}
                  onMark={onMark}
                  className="mr-1"
                />
              </div>
              <div className={BESIDE}>
                {take && mic ? (
                  <SoundCell
                    source={source}
                    waveId={take.id}
                    channel={mic.position}
                    kind="mic"
                    heard={ofChosen && heard === `channel-${mic.position}`}
                    onHear={() => {
                      chooseTake(take.id)
                      hear(`channel-${mic.position}`)
                    }}
                    label={`${mic.name} of take ${take.number}`}
                    left={level(mic.checks.loudness_lufs, 'LUFS')}
                    right={ofChosen ? keyOf(`channel-${mic.position}`) : ''}
                  />
                ) : (
                  <span className="grid h-[60px] place-items-center border border-rule text-[13px] text-pencil">
                    {take ? 'DI only' : 'in Comp'}
                  </span>
                )}
              </div>
              {tones.map((tone) => {
                const print = printOf(source, tone)
                const name = `${source.title} through ${tone.name}`
                const here = cell(source, tone)
                if (print?.state === 'ready')
                  return (
                    <div key={tone.id} className="relative">
                      <SoundCell
                        source={source}
                        waveId={print.id}
                        channel={0}
                        kind="sim"
                        heard={take ? ofChosen && heard === `print-${print.id}` : props.heardPrint === print.id}
                        onHear={() => {
                          onTone(tone.id)
                          onSource(source.id)
                          if (!take) return props.onHearComp(print)
                          hear(`print-${print.id}`)
                        }}
                        label={name}
                        left={`${level(print.checks?.loudness_lufs, 'LUFS')}${print.channels === 2 ? ' · stereo' : ''}`}
                        right={rightOf(print, ofChosen ? keyOf(`print-${print.id}`) : '')}
                        stale={print.stale}
                        copy={print.copy_file}
                      />
                      {print.stale && (
                        <button
                          onClick={() => onAsk(here)}
                          aria-label={`Print ${name} again: ${print.stale}`}
                          className="absolute top-1 right-1.5 bg-sheet px-1 text-[12.5px] font-semibold text-mic"
                        >
                          print again
                        </button>
                      )}
                    </div>
                  )
                if (print && (print.state === 'waiting' || print.state === 'rendering'))
                  return <RunningCell key={tone.id} print={print} name={name} onStop={() => onStop(print.id)} />
                return (
                  <div key={tone.id} className="relative">
                    <button
                      onClick={() => {
                        onTone(tone.id)
                        onSource(source.id)
                        onAsk(here)
                      }}
                      aria-label={`Print ${name}`}
                      title={print?.problem || undefined}
                      className={`h-[60px] w-full overflow-hidden border px-2 pr-6 text-[13px] leading-snug ${
                        print?.state === 'failed'
                          ? 'border-mic text-mic'
                          : marked(here)
                            ? 'border-sim bg-wash text-sim'
                            : on && tone.id === toneId
                              ? 'border-dashed border-sim text-sim'
                              : 'border-rule text-pencil hover:border-dashed hover:border-sim hover:text-sim'
                      }`}
                    >
                      {print?.state === 'failed'
                        ? `! ${print.problem}`
                        : print?.state === 'stopped'
                          ? 'stopped: print again'
                          : marked(here)
                            ? 'marked'
                            : 'print'}
                    </button>
                    <Mark
                      label={`Mark ${name}`}
                      cells={[here]}
                      marked={marked}
                      onMark={onMark}
                      className="absolute top-1.5 right-1.5"
                    />
                  </div>
                )
              })}
            </div>
          )
        })}
      </div>
    </section>
  )
}

/** Against the miked amp, and its key. */
function rightOf(print: Print, key: string) {
  const apart = print.checks?.spectrum_difference_db
  const told = apart == null ? '' : `Δ ${figure(apart)} dB`
  return [key, told].filter(Boolean).join(' · ')
}

/** A box for some cells; ticked where all of them are marked. */
function Mark({
  label,
  cells,
  marked,
  onMark,
  className,
}: {
  label: string
  cells: Cell[]
  marked: (cell: Cell) => boolean
  onMark: (cells: Cell[]) => void
  className: string
}) {
  if (!cells.length) return null
  return (
    <input
      type="checkbox"
      aria-label={label}
      title={label}
      checked={cells.every(marked)}
      onChange={() => onMark(cells)}
      className={`size-3.5 shrink-0 self-center ${className}`}
      style={{ accentColor: INK.sim }}
    />
  )
}
