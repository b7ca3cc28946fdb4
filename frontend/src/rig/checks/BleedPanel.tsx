import { Verdict } from '../../ui/Verdict'
import { figure } from '../../ui/format'
import { CheckFrame } from './CheckFrame'
import type { CheckPanelProps } from './panelProps'
import { Scale } from './Scale'

/** What the server keeps of it; levels are null where there is only silence. */
interface BleedResult {
  channels: {
    name: string
    verdict: 'good' | 'look' | 'fix'
    playing_dbfs: number
    leak_dbfs: number | null
    below_playing_db: number | null
    delay_ms: number
    found: boolean
  }[]
}

/** How much of the click arrives in each open microphone. */
export function BleedPanel({ check, acts }: CheckPanelProps) {
  const found = check?.result as BleedResult | undefined
  return (
    <CheckFrame
      kind="bleed"
      title="Bleed"
      says="The click plays in the phones, nobody plays the instrument: what the mics hear of it cannot be removed later."
      button="Play the click and listen"
      check={check}
      acts={acts}
    >
      <ul>
        {found?.channels.map((channel) => (
          <li
            key={channel.name}
            className="grid grid-cols-[88px_minmax(0,1fr)_minmax(0,300px)] items-center gap-x-4 border-b border-rule py-1.5"
          >
            <span className="font-name font-semibold first-letter:uppercase">{channel.name}</span>
            <Scale
              from={-120}
              aims={[[channel.playing_dbfs - 35, channel.playing_dbfs]]}
              marks={[{ level: channel.leak_dbfs, shape: 'stroke', ink: 'var(--mic)', name: 'click' }]}
              label={`${channel.name}: ${channel.found ? `click at ${figure(channel.leak_dbfs ?? -120)} dBFS` : 'no click'}`}
            />
            <span className="text-[13.5px] leading-tight">
              <Verdict verdict={channel.verdict}>
                {channel.found && channel.below_playing_db !== null
                  ? `click ${Math.round(channel.below_playing_db)} dB below the playing`
                  : 'no click in it'}
              </Verdict>
              {channel.found && (
                <span className="block text-pencil">arrives after {channel.delay_ms.toFixed(1)} ms</span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </CheckFrame>
  )
}
