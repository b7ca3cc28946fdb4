import { CheckFrame } from './CheckFrame'
import type { CheckPanelProps } from './panelProps'

/** What the server keeps of it; levels are null where there is only silence. */
interface LatencyResult {
  round_trip_frames: number
  round_trip_ms: number
  spread_frames: number
  pings: number
  buffer_frames: number
  buffer_share: number
  left_frames: number
  feel: string
  table: { buffer_frames: number; buffer_ms: number; round_trip_ms: number; feel: string }[]
}

/** The measured round trip, what the buffer has of it, and what other buffers would give. */
export function LatencyPanel({ check, acts, device }: CheckPanelProps) {
  const found = check?.result as LatencyResult | undefined
  const now = device?.settings.buffer_frames
  const stale = found && now !== undefined && found.buffer_frames !== now
  return (
    <CheckFrame
      kind="latency"
      title="Latency"
      says="Output 1 into an input by a cable, away from the speakers. Pings are sent twice: measured, then proved."
      button="Send the pings"
      check={check}
      acts={acts}
    >
      {found && (
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,420px)] gap-x-10">
          <div>
            <p className="font-name text-[40px] leading-none font-bold">
              {found.round_trip_ms.toFixed(1)}{' '}
              <span className="text-[20px] font-medium text-pencil">ms there and back, {found.feel}</span>
            </p>
            <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-6 gap-y-1 text-[14.5px]">
              <dt className="text-pencil">Round trip</dt>
              <dd>{found.round_trip_frames.toFixed(2)} samples</dd>
              <dt className="text-pencil">Spread of {found.pings} pings</dt>
              <dd>{found.spread_frames.toFixed(3)} samples</dd>
              <dt className="text-pencil">The buffer has</dt>
              <dd>
                {Math.round(100 * found.buffer_share)} %: twice {found.buffer_frames} samples
              </dd>
              <dt className="text-pencil">Left after the second ping</dt>
              <dd>{found.left_frames.toFixed(2)} samples</dd>
            </dl>
            <p className="mt-3 text-[14px]">
              {device?.offset
                ? `Takes are placed ${device.offset.frames} samples earlier than they arrive.`
                : '~ For this rate and buffer the offset is not measured yet: takes would lie late.'}
              {stale && ` This was measured with a buffer of ${found.buffer_frames}.`}
            </p>
          </div>
          <table className="h-fit text-[14.5px]">
            <thead>
              <tr className="border-b border-rule text-left text-[13px] text-pencil">
                <th className="py-1 font-normal">buffer</th>
                <th className="text-right font-normal">buffer alone</th>
                <th className="text-right font-normal">there and back</th>
                <th className="pl-5 font-normal">felt as</th>
              </tr>
            </thead>
            <tbody>
              {found.table.map((row) => (
                <tr
                  key={row.buffer_frames}
                  className={`border-b border-rule ${row.buffer_frames === now ? 'font-bold' : ''}`}
                >
                  <td className="py-[3px]">{row.buffer_frames}</td>
                  <td className="text-right">{row.buffer_ms.toFixed(1)} ms</td>
                  <td className="text-right">{row.round_trip_ms.toFixed(1)} ms</td>
                  <td className="pl-5">{row.feel}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </CheckFrame>
  )
}
