import { useMemo } from 'react'
import type { Print, Take, Tone } from '../api/client'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { INK, Glyph } from '../ui/Glyph'
import { count, figure, level } from '../ui/format'
import { Select } from '../ui/Select'
import { useWave } from '../api/queries'
import { wavePath } from '../wave/wavePath'

interface PrintTableProps {
  /** The columns, and tones that could be one. */
  tones: Tone[]
  others: Tone[]
  onAdd: (id: string) => void
  prints: Print[]
  toneId: string | undefined
  onTone: (id: string) => void
  onAsk: (takeId: string, toneId: string) => void
  onStop: (printId: string) => void
}

/** Dry sources down, tones across; a cell is a print, or the place for one. */
export function PrintTable({ tones, others, prints, toneId, onTone, onAdd, onAsk, onStop }: PrintTableProps) {
  const { takes } = useOpenSession()
  const { take: chosen, chooseTake, comparison, heard, hear } = useChoice()
  const sources = takes.filter((take) => !take.binned && take.channels.some((channel) => channel.kind === 'di'))
  const columns = `188px repeat(${tones.length + 1}, minmax(140px, 240px))`
  const keyOf = (soundKey: string) => {
    const index = comparison?.sounds.findIndex((sound) => sound.key === soundKey) ?? -1
    return index >= 0 && index < 9 ? String(index + 1) : ''
  }

  return (
    <section aria-label="Prints" className="flex min-h-0 grow flex-col">
      <div className="flex items-baseline gap-5 pt-1 pb-2">
        <p className="text-[13.5px] text-pencil">
          {count(sources.length, 'dry source')} down, tones across. All sounds of a take play at once, at equal
          loudness: number keys switch.
        </p>
        <span className="ml-auto text-[13.5px] text-pencil">
          <Select
            label="Add a tone"
            value="add a tone"
            options={['add a tone', ...others.map((tone) => tone.id)]}
            said={(id) => others.find((tone) => tone.id === id)?.name ?? id}
            detail={(id) => others.find((tone) => tone.id === id)?.use ?? ''}
            onChange={(id) => id !== 'add a tone' && onAdd(id)}
          />
        </span>
      </div>
      <div className="grid gap-x-2 pr-3 pb-1" style={{ gridTemplateColumns: columns }}>
        <span />
        <span className="flex items-baseline justify-between px-2">
          <b className="font-name text-[16px]">Miked amp</b>
          <span className="text-[12.5px] text-pencil">reference</span>
        </span>
        {tones.map((tone) => (
          <button
            key={tone.id}
            onClick={() => onTone(tone.id)}
            aria-pressed={tone.id === toneId}
            className={`flex items-baseline justify-between gap-2 px-2 text-left ${tone.id === toneId ? 'underline decoration-sim decoration-2 underline-offset-4' : ''}`}
          >
            <b className="font-name text-[16px] whitespace-nowrap">{tone.name}</b>
            <span className="truncate text-[12.5px] text-pencil">{tone.use}</span>
          </button>
        ))}
      </div>
      <div className="min-h-0 grow overflow-y-auto pr-1" style={{ scrollbarGutter: 'stable' }}>
        {sources.length === 0 && (
          <p className="border border-dashed border-faint px-6 py-5">
            There is no dry take yet. Roll one in Takes, or bring in a DI file there.
          </p>
        )}
        {sources.map((take) => {
          const on = take.id === chosen?.id
          const mic = take.channels.find((channel) => channel.kind === 'mic')
          return (
            <div key={take.id} className="grid gap-x-2 pb-1.5" style={{ gridTemplateColumns: columns }}>
              <button
                onClick={() => chooseTake(take.id)}
                aria-pressed={on}
                className="flex items-center gap-3 pl-1 text-left"
              >
                <Glyph kind="di" size={16} />
                <span className="min-w-0 leading-tight">
                  <span className={`block truncate text-[15px] ${on ? 'font-bold' : 'font-semibold'}`}>
                    {take.part_name} {take.number}
                  </span>
                  <span className="block text-[12.5px] text-pencil">
                    bars {take.first_bar} to {take.last_bar}
                  </span>
                </span>
              </button>
              {mic ? (
                <SoundCell
                  take={take}
                  waveId={take.id}
                  channel={mic.position}
                  kind="mic"
                  heard={on && heard === `channel-${mic.position}`}
                  onHear={() => {
                    chooseTake(take.id)
                    hear(`channel-${mic.position}`)
                  }}
                  label={`${mic.name} of take ${take.number}`}
                  left={level(mic.checks.loudness_lufs, 'LUFS')}
                  right={on ? keyOf(`channel-${mic.position}`) : ''}
                />
              ) : (
                <span className="grid place-items-center border border-rule text-[13px] text-pencil">DI only</span>
              )}
              {tones.map((tone) => {
                const print = prints.find(
                  (entry) => entry.material_id === take.id && entry.tone_revision_id === tone.id,
                )
                const name = `${take.part_name} ${take.number} through ${tone.name}`
                if (print?.state === 'ready')
                  return (
                    <SoundCell
                      key={tone.id}
                      take={take}
                      waveId={print.id}
                      channel={0}
                      kind="sim"
                      heard={on && heard === `print-${print.id}`}
                      onHear={() => {
                        chooseTake(take.id)
                        onTone(tone.id)
                        hear(`print-${print.id}`)
                      }}
                      label={name}
                      left={level(print.checks?.loudness_lufs, 'LUFS')}
                      right={`${on ? keyOf(`print-${print.id}`) : ''} ${
                        print.checks?.spectrum_difference_db != null
                          ? ` · ${figure(print.checks.spectrum_difference_db)} dB off`
                          : ''
                      }`.replace(/^\s+·\s/, '')}
                    />
                  )
                if (print && (print.state === 'waiting' || print.state === 'rendering'))
                  return <RunningCell key={tone.id} print={print} name={name} onStop={() => onStop(print.id)} />
                return (
                  <button
                    key={tone.id}
                    onClick={() => {
                      chooseTake(take.id)
                      onTone(tone.id)
                      onAsk(take.id, tone.id)
                    }}
                    aria-label={`Print ${name}`}
                    title={print?.problem || undefined}
                    className={`h-[60px] overflow-hidden border px-2 text-[13px] leading-snug ${
                      print?.state === 'failed'
                        ? 'border-mic text-mic'
                        : on && tone.id === toneId
                          ? 'border-dashed border-sim text-sim'
                          : 'border-rule text-pencil hover:border-dashed hover:border-sim hover:text-sim'
                    }`}
                  >
                    {print?.state === 'failed'
                      ? `! ${print.problem}`
                      : print?.state === 'stopped'
                        ? 'stopped: print again'
                        : 'print'}
                  </button>
                )
              })}
            </div>
          )
        })}
      </div>
    </section>
  )
}

interface SoundCellProps {
  take: Take
  waveId: string
  channel: number
  kind: 'mic' | 'sim'
  heard: boolean
  onHear: () => void
  label: string
  left: string
  right: string
}

function SoundCell({ take, waveId, channel, kind, heard, onHear, label, left, right }: SoundCellProps) {
  const wave = useWave(waveId)
  const path = useMemo(() => {
    const columns = wave.data?.channels[channel]
    if (!columns) return ''
    return wavePath(
      columns,
      wave.data!.framesPerColumn,
      { startFrame: take.window_from_frame - take.from_frame, endFrame: take.window_to_frame - take.from_frame },
      { x: 0, y: 17, width: 180, height: 30 * (127 / wave.data!.loudest[channel]!) },
    )
  }, [wave.data, channel, take])
  return (
    <button
      onClick={onHear}
      aria-label={`Hear ${label}`}
      aria-pressed={heard}
      className={`h-[60px] bg-sheet px-2 pt-1 ${heard ? 'border-[2.5px] border-ink' : 'border border-rule'}`}
    >
      <svg width="100%" height="34" viewBox="0 0 180 34" preserveAspectRatio="none" className="block" aria-hidden>
        <path d={path} fill={INK[kind]} opacity={heard || kind === 'mic' ? 1 : 0.6} />
      </svg>
      <span className="flex justify-between text-[12.5px] leading-[1.2] whitespace-nowrap">
        <span className="text-pencil">{left}</span>
        <span className={heard ? 'font-bold' : ''}>{right}</span>
      </span>
    </button>
  )
}

function RunningCell({ print, name, onStop }: { print: Print; name: string; onStop: () => void }) {
  const percent = Math.round(print.progress * 100)
  return (
    <div className="flex h-[60px] flex-col justify-between border border-rule bg-sheet px-2.5 pt-4 pb-1">
      <div role="progressbar" aria-label={name} aria-valuenow={percent} className="h-[5px] bg-rule">
        <div className="h-full bg-sim" style={{ width: `${percent}%` }} />
      </div>
      <div className="flex justify-between text-[12.5px]">
        <span>
          {print.state === 'waiting'
            ? 'waiting'
            : `${percent} %${print.times_real_time ? ` · ${print.times_real_time.toFixed(0)} × real time` : ''}`}
        </span>
        <button onClick={onStop} className="font-semibold" aria-label={`Stop ${name}`}>
          stop
        </button>
      </div>
    </div>
  )
}
