import { useMemo } from 'react'
import type { Print } from '../api/client'
import { useWave } from '../api/queries'
import { INK } from '../ui/Glyph'
import { wavePath } from '../wave/wavePath'
import type { DrySource } from './printSources'

interface SoundCellProps {
  source: DrySource
  waveId: string
  channel: number
  kind: 'mic' | 'sim'
  heard: boolean
  onHear: () => void
  label: string
  left: string
  right: string
  /** It is not what would be printed now. */
  stale?: string
  /** The same sound at another rate lies in this file. */
  copy?: string | null
}

/** A sound that is there: its wave, how loud it is, by which key it is heard. */
export function SoundCell(props: SoundCellProps) {
  const { source, waveId, channel, kind, heard, onHear, label, left, right, stale, copy } = props
  const wave = useWave(waveId)
  const path = useMemo(() => {
    const columns = wave.data?.channels[channel]
    if (!columns) return ''
    return wavePath(columns, wave.data!.framesPerColumn, source.shown, {
      x: 0,
      y: 17,
      width: 180,
      height: 30 * (127 / wave.data!.loudest[channel]!),
    })
  }, [wave.data, channel, source])
  return (
    <button
      onClick={onHear}
      aria-label={`Hear ${label}`}
      aria-pressed={heard}
      title={stale || (copy ? `also as ${copy}` : undefined)}
      className={`h-[60px] w-full bg-sheet px-2 pt-1 ${heard ? 'border-[2.5px] border-ink' : stale ? 'border border-dashed border-mic' : 'border border-rule'}`}
    >
      <svg width="100%" height="34" viewBox="0 0 180 34" preserveAspectRatio="none" className="block" aria-hidden>
        <path d={path} fill={INK[kind]} opacity={heard || kind === 'mic' ? 1 : 0.6} />
      </svg>
      <span className="flex justify-between gap-2 text-[12.5px] leading-[1.2] whitespace-nowrap">
        <span className="text-pencil">{left}</span>
        <span className={`truncate ${heard ? 'font-bold' : ''}`}>{right}</span>
      </span>
    </button>
  )
}

/** A print that waits or is made. */
export function RunningCell({ print, name, onStop }: { print: Print; name: string; onStop: () => void }) {
  const percent = Math.round(print.progress * 100)
  return (
    <div className="flex h-[60px] w-full flex-col justify-between border border-rule bg-sheet px-2.5 pt-4 pb-1">
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
