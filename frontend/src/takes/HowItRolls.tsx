import { useLive } from '../api/live'
import { Radio, RadioGroup } from '@headlessui/react'
import type { Section } from '../api/client'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { Stepper } from '../ui/Stepper'
import { Switch } from '../ui/Switch'
import { barBeat, count } from '../ui/format'

const WAYS = ['once', 'loop', 'windows'] as const

/** Once, loop or windows; where; what is heard before and after; again and again or not. */
export function HowItRolls() {
  const { session } = useOpenSession()
  const { line } = useChoice()
  const rolling = useRolling()
  const rolls = useLive((live) => live.rolling !== null)
  const { settings, setSettings } = rolling
  if (!settings) return null
  const section = line?.section
  const windows = settings.windows.length
  const firstBar = settings.loop_bar
  const lastBar = firstBar + settings.loop_bars - 1
  const loopOf = (section: Section) => ({ loop_bar: section.first_bar, loop_bars: section.bars })

  function roll(way: (typeof WAYS)[number]) {
    // A loop that lies elsewhere is one of before: round the chosen section is meant.
    const elsewhere = section && (lastBar < section.first_bar || firstBar >= section.first_bar + section.bars)
    setSettings({ way, ...(way === 'loop' && elsewhere && loopOf(section)) })
  }

  return (
    <section className="border border-rule bg-sheet px-3.5 pt-2 pb-2" aria-label="How it rolls">
      <RadioGroup
        value={settings.way}
        onChange={roll}
        aria-label="How it rolls"
        className="mb-1.5 flex border-b border-rule"
        disabled={rolls}
      >
        {WAYS.map((way) => (
          <Radio
            key={way}
            value={way}
            className="-mb-px grow cursor-pointer border-b-[2.5px] border-transparent pb-1 text-center text-[14.5px] text-pencil first-letter:uppercase data-checked:border-mic data-checked:font-bold data-checked:text-ink"
          >
            {way}
          </Radio>
        ))}
      </RadioGroup>
      {settings.way === 'once' && (
        <p className="flex flex-wrap gap-x-3 text-[13.5px]">
          <button
            aria-pressed={!settings.from_here}
            onClick={() => setSettings({ from_here: false })}
            className={settings.from_here ? 'text-pencil' : 'font-bold underline underline-offset-4'}
          >
            {section?.name ?? 'the section'}
          </button>
          <button
            aria-pressed={settings.from_here}
            onClick={() => setSettings({ from_here: true })}
            title="from the playhead to the end of the song"
            className={settings.from_here ? 'font-bold underline underline-offset-4' : 'text-pencil'}
          >
            from here
          </button>
        </p>
      )}
      {settings.way === 'loop' && (
        <div className="flex items-center justify-between text-[13.5px]">
          <span>
            bars {firstBar} to {lastBar}
          </span>
          {section && (
            <button
              onClick={() => setSettings(loopOf(section))}
              className="text-pencil underline underline-offset-4 hover:text-ink"
            >
              {section.name}
            </button>
          )}
        </div>
      )}
      {settings.way === 'windows' && (
        <div className="flex items-baseline justify-between gap-2 text-[13.5px]">
          {windows ? (
            <>
              <span className="min-w-0 truncate">
                {count(windows, 'window')}:{' '}
                {settings.windows.map((window) => barBeat(window.from_frame, session)).join(', ')}
              </span>
              <button
                onClick={() => setSettings({ windows: [] })}
                className="text-pencil underline underline-offset-4 hover:text-ink"
              >
                clear
              </button>
            </>
          ) : (
            <span>none set: W punches in and out</span>
          )}
        </div>
      )}
      {settings.way === 'loop' ? (
        <p className="mt-0.5 text-[12.5px] text-pencil">each time round is a take</p>
      ) : (
        <div className="mt-1 grid grid-cols-[1fr_auto] items-center gap-y-0.5 text-[13.5px]">
          <Bars
            says="Heard before"
            label="Pre-roll"
            bars={settings.pre_roll_bars}
            onChange={(pre_roll_bars) => setSettings({ pre_roll_bars })}
          />
          <Bars
            says="and after"
            label="Post-roll"
            bars={settings.post_roll_bars}
            onChange={(post_roll_bars) => setSettings({ post_roll_bars })}
          />
          <Switch
            className="col-span-2 mt-0.5"
            label="again until I stop"
            on={settings.again}
            onChange={(again) => setSettings({ again })}
          />
        </div>
      )}
    </section>
  )
}

/** So many bars of the song beside what is recorded. */
function Bars({
  says,
  label,
  bars,
  onChange,
}: {
  says: string
  label: string
  bars: number
  onChange: (bars: number) => void
}) {
  return (
    <>
      <span className="text-pencil">{says}</span>
      <Stepper label={label} value={bars} from={0} to={8} unit={bars === 1 ? 'bar' : 'bars'} onChange={onChange} />
    </>
  )
}
