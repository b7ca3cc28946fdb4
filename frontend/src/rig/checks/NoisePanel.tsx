import { Verdict } from '../../ui/Verdict'
import { figure, level } from '../../ui/format'
import { CheckFrame } from './CheckFrame'
import type { CheckPanelProps } from './panelProps'
import { Scale } from './Scale'

/** What the server keeps of it; levels are null where there is only silence. */
interface NoiseResult {
  channels: {
    name: string
    verdict: 'good' | 'look' | 'fix'
    playing_dbfs: number
    playing_measured: boolean
    advice: string[]
    floor_dbfs: number | null
    floor_dbfs_a: number | null
    hum_dbfs: number | null
    buzz_dbfs: number | null
    hiss_dbfs: number | null
    mains_hz: number | null
    harmonics: { frequency_hz: number; level_dbfs: number }[]
    below_playing_db: number | null
    worst: string
  }[]
}

/** What is left with the hands off the strings: hum, buzz and hiss told apart, and what to try against the worst. */
export function NoisePanel({ check, acts }: CheckPanelProps) {
  const found = check?.result as NoiseResult | undefined
  return (
    <CheckFrame
      kind="noise"
      title="Noise"
      says="Plugged in and turned up as for a take, hands off the strings, for some seconds."
      button="Listen"
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
              aims={[[channel.playing_dbfs - 45, channel.playing_dbfs]]}
              marks={[
                { level: channel.floor_dbfs, shape: 'bar', ink: channel.name === 'DI' ? 'var(--di)' : 'var(--mic)' },
                { level: channel.hum_dbfs, shape: 'stroke', ink: 'var(--ink)', name: 'hum' },
                { level: channel.buzz_dbfs, shape: 'stroke', ink: 'var(--pencil)', name: 'buzz' },
              ]}
              label={`${channel.name}: noise ${level(channel.floor_dbfs)}`}
            />
            <span className="text-[13.5px] leading-tight">
              <Verdict verdict={channel.verdict}>
                {channel.below_playing_db === null
                  ? 'silent'
                  : `${channel.worst}, ${Math.round(channel.below_playing_db)} dB below the playing`}
              </Verdict>
              <span className="block text-pencil">
                {channel.floor_dbfs === null
                  ? ''
                  : `${figure(channel.floor_dbfs, 0)} dBFS, ${figure(channel.floor_dbfs_a ?? -120, 0)} A-weighted`}
                {channel.mains_hz ? `; mains ${channel.mains_hz.toFixed(1)} Hz` : ''}
              </span>
              {channel.advice.map((advice) => (
                <span key={advice} className="mt-0.5 block first-letter:uppercase">
                  {advice}.
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
      {found && (
        <p className="mt-2 text-[13px] text-pencil">
          Shaded: down to 45 dB below the playing level
          {found.channels.some((channel) => !channel.playing_measured) &&
            ', which the level check has not measured on every channel yet'}
          . The bar is all noise together.
        </p>
      )}
    </CheckFrame>
  )
}
