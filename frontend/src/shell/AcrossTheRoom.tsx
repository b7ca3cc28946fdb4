import type { SheetLine, SignalKind } from '../api/client'
import { type RollState, playedSpan, useLive } from '../api/live'
import { INK } from '../ui/Glyph'
import { barBeat, barOne, beatsInBar, seconds } from '../ui/format'
import { DiskSpaceLeft } from './DiskSpaceLeft'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { usePlayhead } from '../desk/usePlayhead'

const LOWEST = -48
const SILENT = -120

/** The page that is read from three metres: count-in, bar and beat, section, take, level, how far it is. */
export function AcrossTheRoom({ onLeave }: { onLeave: () => void }) {
  const { session, sheet, part, takes } = useOpenSession()
  const { line: chosen } = useChoice()
  const rolling = useLive((live) => live.rolling)
  const lines = sheet?.lines ?? []
  const here = usePlayhead((frame) =>
    rolling ? lines.findIndex((entry) => frame >= entry.from_frame && frame < entry.to_frame) : -1,
  )
  const line = lines[here] ?? chosen
  const state = usePlayhead((frame) => (rolling ? stateOf(rolling, frame) : ''))
  const number =
    rolling?.number ?? 1 + Math.max(0, ...takes.filter((take) => take.part_id === part?.id).map((take) => take.number))

  return (
    <div className="flex h-full flex-col justify-between px-10 pt-4 pb-8">
      <div className="flex items-baseline justify-between">
        <p className="font-name text-[44px] leading-none font-bold">
          {line?.section.name ?? 'Song'}
          <span className="ml-6 font-medium text-pencil">
            {rolling && rolling.parts.length > 1 ? `${rolling.parts.length} parts` : part?.name},{' '}
            {rolling?.trial ? 'trial' : 'take'} {number}
          </span>
        </p>
        <p className="font-name text-[40px] leading-none font-bold text-mic">{state}</p>
      </div>
      <BarAndBeat rest={line?.from_frame ?? barOne(session)} />
      <div className="flex flex-col gap-3.5">
        {rolling && <ChannelBars rolling={rolling} />}
        <HowFar line={line} />
        <div className="flex items-baseline justify-between text-pencil">
          <span className="text-[22px]">
            <DiskSpaceLeft />
          </span>
          <button onClick={onLeave} className="text-[15px] underline underline-offset-4">
            Leave this page with Escape
          </button>
        </div>
      </div>
    </div>
  )
}

/** The bar that is played and its beats; before it begins, the beat alone. */
function BarAndBeat({ rest }: { rest: number }) {
  const { session } = useOpenSession()
  const begins = useLive((live) => live.rolling?.play_from_frame)
  const place = usePlayhead((frame) => barBeat(frame || rest, session))
  const beats = usePlayhead((frame) => beatsInBar(frame || rest, session))
  const countIn = usePlayhead((frame) => begins !== undefined && frame < begins)
  const [bar, beat] = place.split('.')
  return (
    <div className="flex items-center justify-center gap-10" aria-hidden>
      {countIn ? (
        <p className="font-name text-[260px] leading-[0.8] font-extrabold">{beat}</p>
      ) : (
        <>
          <p className="font-name text-[260px] leading-[0.8] font-extrabold">{bar}</p>
          <p className="flex flex-col gap-4">
            {Array.from({ length: beats }, (_, index) => (
              <span
                key={index}
                className={`block h-11 w-28 border-[3px] border-ink ${String(index + 1) === beat ? 'bg-ink' : ''}`}
              />
            ))}
          </p>
        </>
      )}
    </div>
  )
}

function ChannelBars({ rolling }: { rolling: RollState }) {
  const { session } = useOpenSession()
  const { channels } = rolling
  const several = rolling.parts.length > 1
  const partName = (id: string) => session.parts.find((entry) => entry.id === id)?.name ?? ''
  // One column as long as all can be read from afar; many channels share the room.
  const columns = channels.length <= 4 ? 1 : channels.length <= 12 ? 2 : 3
  const dense = columns > 1
  return (
    <div
      className={`grid gap-x-9 ${dense ? 'gap-y-1.5' : 'gap-y-3.5'}`}
      style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
    >
      {channels.map((channel, index) => (
        <ChannelBar
          key={`${channel.part_id} ${channel.name}`}
          name={several ? `${partName(channel.part_id)} ${channel.name}` : channel.name}
          kind={channel.kind}
          index={index}
          dense={dense}
        />
      ))}
    </div>
  )
}

/** How much of what is played, or of the chosen section, is behind. */
function HowFar({ line }: { line: SheetLine | undefined }) {
  const { session } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const played = rolling && playedSpan(rolling)
  const from = played?.from_frame ?? line?.from_frame ?? 0
  const to = played?.to_frame ?? line?.to_frame ?? 1
  const share = (at: number) => Math.max(0, Math.min(1, (at - from) / (to - from)))
  const left = (at: number) => `${100 * share(at)}%`
  const done = usePlayhead((frame) => Math.round(2000 * share(frame)) / 2000)
  return (
    <div className="mt-2 grid grid-cols-[9rem_1fr_7rem] items-center gap-5 text-[22px] text-pencil">
      <span>{seconds((done * (to - from)) / session.rate_hz)}</span>
      <span className="relative h-2.5 bg-wash">
        {rolling?.windows.map((window) => (
          <span
            key={window.from_frame}
            className="absolute -bottom-2 h-1 bg-mic"
            style={{ left: left(window.from_frame), right: `calc(100% - ${left(window.to_frame)})` }}
          />
        ))}
        <span className="block h-full bg-ink" style={{ width: `${100 * done}%` }} />
      </span>
      <span>{seconds((to - from) / session.rate_hz)}</span>
    </div>
  )
}

interface ChannelBarProps {
  name: string
  kind: SignalKind
  index: number
  dense: boolean
}

/** The level of one channel as one thick bar. */
function ChannelBar({ name, kind, index, dense }: ChannelBarProps) {
  const peak = useLive((live) => live.meters?.peak_dbfs[index] ?? SILENT)
  const average = useLive((live) => live.meters?.average_dbfs[index] ?? SILENT)
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
