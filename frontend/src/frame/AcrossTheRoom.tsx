import type { SignalKind } from '../api/client'
import { type RollState, playedSpan, useLive } from '../api/live'
import { INK } from '../signal/Glyph'
import { barBeat, barOne, beatsInBar, seconds } from '../signal/format'
import { RoomLeft } from './RoomLeft'
import { useDesk } from './SessionContext'
import { useFrame } from './useFrame'

const LOWEST = -48
const SILENT = -120

/** The page that is read from three metres: count-in, bar and beat, section, take, level, how far it is. */
export function AcrossTheRoom({ onLeave }: { onLeave: () => void }) {
  const { session, sheet, sectionId, part, takes } = useDesk()
  const { rolling, meters } = useLive()
  const frame = useFrame()
  const lines = sheet?.lines ?? []
  const line =
    (rolling && lines.find((entry) => frame >= entry.from_frame && frame < entry.to_frame)) ??
    lines.find((entry) => entry.section.id === sectionId)
  const played = rolling && playedSpan(rolling)
  const countIn = rolling !== null && frame < rolling.play_from_frame
  const place = barBeat(frame || line?.from_frame || barOne(session), session)
  const [bar, beat] = place.split('.')
  const channels = rolling?.channels ?? []
  const several = rolling !== null && rolling.parts.length > 1
  const partName = (id: string) => session.parts.find((entry) => entry.id === id)?.name ?? ''
  // One column as long as all can be read from afar; many channels share the room.
  const columns = channels.length <= 4 ? 1 : channels.length <= 12 ? 2 : 3
  const dense = columns > 1
  const number =
    rolling?.number ?? 1 + Math.max(0, ...takes.filter((take) => take.part_id === part?.id).map((take) => take.number))
  const from = played?.from_frame ?? line?.from_frame ?? 0
  const to = played?.to_frame ?? line?.to_frame ?? 1
  const share = (at: number) => `${100 * Math.max(0, Math.min(1, (at - from) / (to - from)))}%`
  const done = Math.max(0, Math.min(1, (frame - from) / (to - from)))

  return (
    <div className="flex h-full flex-col justify-between px-10 pt-4 pb-8">
      <div className="flex items-baseline justify-between">
        <p className="font-name text-[44px] leading-none font-bold">
          {line?.section.name ?? 'Song'}
          <span className="ml-6 font-medium text-pencil">
            {rolling && rolling.parts.length > 1 ? `${rolling.parts.length} parts` : part?.name}, take {number}
          </span>
        </p>
        <p className="font-name text-[40px] leading-none font-bold text-mic">
          {rolling ? stateOf(rolling, frame) : ''}
        </p>
      </div>
      <div className="flex items-center justify-center gap-10" aria-hidden>
        {countIn ? (
          <p className="font-name text-[260px] leading-[0.8] font-extrabold">{beat}</p>
        ) : (
          <>
            <p className="font-name text-[260px] leading-[0.8] font-extrabold">{bar}</p>
            <p className="flex flex-col gap-4">
              {Array.from({ length: beatsInBar(frame || line?.from_frame || barOne(session), session) }, (_, index) => (
                <span
                  key={index}
                  className={`block h-11 w-28 border-[3px] border-ink ${String(index + 1) === beat ? 'bg-ink' : ''}`}
                />
              ))}
            </p>
          </>
        )}
      </div>
      <div className="flex flex-col gap-3.5">
        <div
          className={`grid gap-x-9 ${dense ? 'gap-y-1.5' : 'gap-y-3.5'}`}
          style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
        >
          {channels.map((channel, index) => (
            <ChannelBar
              key={`${channel.part_id} ${channel.name}`}
              name={several ? `${partName(channel.part_id)} ${channel.name}` : channel.name}
              kind={channel.kind}
              peak={meters?.peak_dbfs[index] ?? SILENT}
              average={meters?.average_dbfs[index] ?? SILENT}
              dense={dense}
            />
          ))}
        </div>
        <div className="mt-2 grid grid-cols-[9rem_1fr_7rem] items-center gap-5 text-[22px] text-pencil">
          <span>{seconds((done * (to - from)) / session.rate_hz)}</span>
          <span className="relative h-2.5 bg-wash">
            {rolling?.windows.map((window) => (
              <span
                key={window.from_frame}
                className="absolute -bottom-2 h-1 bg-mic"
                style={{ left: share(window.from_frame), right: `calc(100% - ${share(window.to_frame)})` }}
              />
            ))}
            <span className="block h-full bg-ink" style={{ width: `${100 * done}%` }} />
          </span>
          <span>{seconds((to - from) / session.rate_hz)}</span>
        </div>
        <div className="flex items-baseline justify-between text-pencil">
          <span className="text-[22px]">
            <RoomLeft />
          </span>
          <button onClick={onLeave} className="text-[15px] underline underline-offset-4">
            Leave this page with Escape
          </button>
        </div>
      </div>
    </div>
  )
}

interface ChannelBarProps {
  name: string
  kind: SignalKind
  peak: number
  average: number
  dense: boolean
}

/** The level of one channel as one thick bar. */
function ChannelBar({ name, kind, peak, average, dense }: ChannelBarProps) {
  const place = (level: number) => `${(100 * (Math.max(LOWEST, Math.min(0, level)) - LOWEST)) / -LOWEST}%`
  return (
    <div
      className={`grid items-center ${dense ? 'grid-cols-[8.5rem_1fr_4.6rem] gap-3 text-[18px]' : 'grid-cols-[9rem_1fr_7rem] gap-5 text-[26px]'}`}
    >
      <span className="truncate font-name font-semibold first-letter:uppercase">{name}</span>
      <span className={`relative border-b-2 border-ink bg-wash ${dense ? 'h-5' : 'h-8'}`}>
        <span className="absolute inset-y-0 left-0" style={{ width: place(average), background: INK[kind] }} />
        <span className="absolute inset-y-0 w-1.5 -translate-x-full bg-ink" style={{ left: place(peak) }} />
      </span>
      <span className={peak > -1 ? 'font-bold text-mic' : ''}>
        {peak > -1 ? '! hot' : peak < -60 ? 'silent' : `−${Math.abs(Math.round(peak))} dB`}
      </span>
    </div>
  )
}

/** What the pass is at, in a word or two. */
function stateOf(rolling: RollState, frame: number): string {
  if (frame < rolling.play_from_frame) return 'Count-in'
  if (rolling.by_hand) return rolling.punched_in ? 'Punched in' : 'Press W to punch in'
  const inside = rolling.windows.some((window) => frame >= window.from_frame && frame < window.to_frame)
  if (rolling.way === 'windows' && inside) return 'Punched in'
  if (!inside) return frame < playedSpan(rolling).from_frame ? 'Pre-roll' : 'Kept around it'
  return rolling.way === 'loop' ? `Loop, pass ${rolling.pass_number}` : 'Rolling'
}
