import type { SheetLine } from '../api/client'
import { type RollState, useLive } from '../api/live'
import { useOpenSession } from '../desk/OpenSession'
import { Glyph, INK } from '../ui/Glyph'
import { level } from '../ui/format'
import { loudest, wavePath } from '../wave/wavePath'

const NAMES = 102
const HEIGHT = 52

/** The take that rolls: one growing wave a channel, as it reaches the disk. */
export function RollingRows({ line, rolling, width }: { line: SheetLine; rolling: RollState; width: number }) {
  const { session } = useOpenSession()
  const several = rolling.parts.length > 1
  const span = width - NAMES - 14
  return (
    <ul aria-label={`Take ${rolling.number} rolls`}>
      {rolling.channels.map((channel, index) => (
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
            <Peak channel={index} />
          </span>
          <svg width={span} height={HEIGHT} className="border border-rule bg-sheet" aria-hidden>
            <Growing line={line} rolling={rolling} channel={index} width={span} />
          </svg>
        </li>
      ))}
    </ul>
  )
}

function Peak({ channel }: { channel: number }) {
  const said = useLive((live) => level(live.meters?.peak_dbfs[channel]))
  return <span className="block text-[12.5px] text-pencil">{said}</span>
}

/** What has grown of one channel until now, drawn with every meter. */
function Growing({
  line,
  rolling,
  channel,
  width,
}: {
  line: SheetLine
  rolling: RollState
  channel: number
  width: number
}) {
  const columns = useLive((live) => live.columns)
  const framesPerColumn = useLive((live) => live.framesPerColumn)
  useLive((live) => live.meters)
  const grown = columns[channel] ?? []
  const path = wavePath(
    grown,
    framesPerColumn,
    { startFrame: line.from_frame - rolling.from_frame, endFrame: line.to_frame - rolling.from_frame },
    { x: 1, y: HEIGHT / 2, width: width - 2, height: (HEIGHT - 6) * (127 / Math.max(12, loudest(grown))) },
  )
  return <path d={path} fill={INK[rolling.channels[channel]!.kind]} />
}
