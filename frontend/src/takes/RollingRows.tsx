import type { SheetLine } from '../api/client'
import { type RollState, useLive } from '../api/live'
import { useDesk } from '../frame/SessionContext'
import { Glyph, INK } from '../signal/Glyph'
import { level } from '../signal/format'
import { loudest, wavePath } from '../wave/wavePath'

const NAMES = 102
const HEIGHT = 52

/** The take that rolls: one growing wave a channel, as it reaches the disk. */
export function RollingRows({ line, rolling, width }: { line: SheetLine; rolling: RollState; width: number }) {
  const { columns, framesPerColumn, meters } = useLive()
  const { session } = useDesk()
  const several = rolling.parts.length > 1
  const span = width - NAMES - 14
  return (
    <ul aria-label={`Take ${rolling.number} rolls`}>
      {rolling.channels.map((channel, index) => {
        const grown = columns[index] ?? []
        const path = wavePath(
          grown,
          framesPerColumn,
          { startFrame: line.from_frame - rolling.from_frame, endFrame: line.to_frame - rolling.from_frame },
          { x: 1, y: HEIGHT / 2, width: span - 2, height: (HEIGHT - 6) * (127 / Math.max(12, loudest(grown))) },
        )
        return (
          <li key={`${channel.part_id} ${channel.name}`} className="flex items-center" style={{ height: HEIGHT + 6 }}>
            <span className="w-[102px] shrink-0 pl-2.5 leading-tight">
              <span className="flex items-center gap-1.5 text-[14.5px] font-semibold">
                <Glyph kind={channel.kind} size={12} />
                <span className="first-letter:uppercase">{channel.name}</span>
              </span>
              {several && (
                <span className="block truncate text-[12.5px]">
                  {session.parts.find((part) => part.id === channel.part_id)?.name}
                </span>
              )}
              <span className="block text-[12.5px] text-pencil">{level(meters?.peak_dbfs[index])}</span>
            </span>
            <svg width={span} height={HEIGHT} className="border border-rule bg-sheet" aria-hidden>
              <path d={path} fill={INK[channel.kind]} />
            </svg>
          </li>
        )
      })}
    </ul>
  )
}
