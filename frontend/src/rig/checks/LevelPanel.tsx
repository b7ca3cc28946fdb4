import { useLive } from '../../api/live'
import { useKeys } from '../../shell/useKeys'
import { Button } from '../../ui/Button'
import { INK } from '../../ui/Glyph'
import { Verdict } from '../../ui/Verdict'
import { figure, level } from '../../ui/format'
import { CheckFrame } from './CheckFrame'
import type { CheckPanelProps } from './panelProps'
import { Scale } from './Scale'

/** What the server keeps of it; levels are null where there is only silence. */
interface LevelResult {
  aim_average_dbfs: [number, number]
  aim_peak_dbfs: number
  channels: {
    name: string
    input: number
    gain_db: number
    average_dbfs: number | null
    peak_dbfs: number | null
    played_share: number
    flat_tops: number
    turn_db: number
    verdict: 'good' | 'look' | 'fix'
    says: string
  }[]
}

/** Average and peak of every channel against the aim, and by how much to turn which knob. */
export function LevelPanel({ check, acts, device }: CheckPanelProps) {
  const settable = device?.settings.gains_can_be_set ?? true
  const listening = useLive((live) => live.listening)
  const meters = useLive((live) => live.meters)
  const found = check?.result as LevelResult | undefined
  const wrong = found?.channels.filter((channel) => channel.turn_db !== 0) ?? []
  const turnAll = () => wrong.forEach((channel) => void acts.turn(channel.name, channel.turn_db))
  useKeys([
    { key: 'g', does: 'turn the gains as the level check says', act: () => settable && wrong.length > 0 && turnAll() },
  ])

  return (
    <CheckFrame
      kind="level"
      title="Level"
      says="Play as loud as the part ever gets, for some seconds. Rests do not count."
      button="Listen"
      check={check}
      acts={acts}
    >
      {listening?.kind === 'level' ? (
        <ul>
          {listening.channels.map((channel, index) => (
            <li key={channel.name} className="grid grid-cols-[88px_1fr] items-center">
              <span className="font-name font-semibold first-letter:uppercase">{channel.name}</span>
              <Scale
                from={-60}
                aims={[[-18, -12]]}
                marks={[
                  { level: meters?.average_dbfs[index] ?? null, shape: 'bar', ink: INK[channel.kind] },
                  { level: meters?.peak_dbfs[index] ?? null, shape: 'stroke', ink: 'var(--ink)' },
                ]}
                label={`Level of ${channel.name} now`}
              />
            </li>
          ))}
        </ul>
      ) : (
        <>
          <ul>
            {found?.channels.map((channel) => (
              <li key={channel.name} className="grid grid-cols-[88px_minmax(0,1fr)_250px] items-center gap-x-4">
                <span className="font-name font-semibold first-letter:uppercase">{channel.name}</span>
                <Scale
                  from={-60}
                  aims={[found.aim_average_dbfs]}
                  marks={[
                    { level: channel.average_dbfs, shape: 'bar', ink: channel.name === 'DI' ? INK.di : INK.mic },
                    { level: channel.peak_dbfs, shape: 'stroke', ink: 'var(--ink)' },
                  ]}
                  label={`${channel.name}: average ${level(channel.average_dbfs)}, peak ${level(channel.peak_dbfs)}`}
                />
                <span className="text-[14px] leading-tight">
                  <Verdict verdict={channel.verdict}>{channel.says}</Verdict>
                  <span className="block text-[13px] text-pencil">
                    average {channel.average_dbfs === null ? 'silent' : figure(channel.average_dbfs)}, peak{' '}
                    {channel.peak_dbfs === null ? 'silent' : figure(channel.peak_dbfs)} dBFS
                  </span>
                </span>
              </li>
            ))}
          </ul>
          {wrong.length > 0 && (
            <div className="mt-2 flex items-center gap-3">
              {settable ? (
                <Button onClick={turnAll}>
                  Turn {wrong.length === 1 ? `input ${wrong[0]!.input}` : `${wrong.length} inputs`} now{' '}
                  <span className="text-pencil">G</span>
                </Button>
              ) : (
                <p className="text-[14px]">This interface is turned by hand: turn the knobs, then listen again.</p>
              )}
            </div>
          )}
          {found && (
            <p className="mt-2 text-[13px] text-pencil">
              Shaded: the aim for the average, −18 to −12 dBFS; the stroke is the peak, at most −6 dBFS.
            </p>
          )}
        </>
      )}
    </CheckFrame>
  )
}
