import { useEffect, useRef } from 'react'
import { Link } from 'react-router'
import type { Trial } from '../api/client'
import { useWave } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Select } from '../ui/Select'
import { Stepper } from '../ui/Stepper'
import { Switch } from '../ui/Switch'
import { Verdict } from '../ui/Verdict'
import { loudest, wavePath } from '../wave/wavePath'
import type { Trials } from './useTrials'

const WAVE = { width: 150, height: 34 }
const TOGETHER = 'all mics'

/** Trial clips, each with its number key: what is heard of them, which placement was chosen. */
export function TrialList({ trials, onBlind }: { trials: Trials; onBlind: () => void }) {
  const { session } = useOpenSession()
  const { beside, placement, of, setSettings, show } = trials
  const settings = placement?.settings
  const older = trials.trials.filter((trial) => !beside.includes(trial))
  const channels = [...new Set(beside.flatMap((trial) => trial.channels.map((channel) => channel.name)))]
  return (
    <section aria-label="Trial clips" className="flex min-h-0 flex-1 flex-col gap-1.5">
      <div className="flex items-baseline gap-4 text-[13.5px] whitespace-nowrap">
        <h2 className="text-[18px]">
          Trials<span className="max-[1120px]:hidden">, at equal loudness</span>
        </h2>
        <span className="flex items-baseline gap-1.5 text-pencil">
          heard
          <Select
            label="Heard"
            value={of ?? TOGETHER}
            options={[TOGETHER, ...channels]}
            onChange={(next) => show({ of: next === TOGETHER ? null : next })}
          />
        </span>
        <Switch
          label="In the mix"
          on={settings?.beside === 'the song'}
          onChange={(on) => setSettings({ beside: on ? 'the song' : 'nothing' })}
        />
        <label className="ml-auto cursor-pointer underline underline-offset-4 focus-within:outline-2">
          Import
          <input
            type="file"
            multiple
            accept="audio/*,.wav,.aif,.aiff,.flac,.ogg,.mp3"
            className="sr-only"
            onChange={(event) => {
              trials.bringIn(event.target.files)
              event.target.value = ''
            }}
          />
        </label>
        <button
          className="underline underline-offset-4 disabled:opacity-50"
          disabled={beside.length < 2}
          onClick={onBlind}
        >
          Blind test <kbd className="font-text text-pencil">B</kbd>
        </button>
      </div>
      <ol className="flex min-h-0 flex-1 flex-col gap-1.5 overflow-y-auto">
        {beside.map((trial, index) => (
          <Row key={trial.id} trial={trial} place={index + 1} trials={trials} />
        ))}
        {older.length > 0 && (
          <li className="flex flex-wrap items-baseline gap-x-3 gap-y-1 px-1 pt-1 text-[13.5px]">
            <span className="text-pencil">older:</span>
            {older.map((trial) => (
              <button
                key={trial.id}
                title={trial.note || trial.words}
                aria-label={`Take trial ${trial.number} among those that are compared`}
                onClick={() => show({ trial: trial.id })}
                className="underline underline-offset-4"
              >
                {trial.number}
              </button>
            ))}
          </li>
        )}
        {beside.length === 0 && (
          <li className="border border-dashed border-rule px-4 py-5 text-pencil">
            No trial clip yet: put a microphone where you would begin, and press Page Down. It plays bars{' '}
            {settings?.first_bar ?? 1} to {(settings?.first_bar ?? 1) + (settings?.bars ?? 2) - 1}, the same each time.
          </li>
        )}
      </ol>
      {settings && (
        <p className="flex items-center gap-x-2.5 text-[13.5px] whitespace-nowrap text-pencil">
          A trial plays from bar
          <Stepper
            label="First bar of a trial"
            value={settings.first_bar ?? 1}
            from={1}
            to={session.song_bars}
            onChange={(first_bar) => setSettings({ first_bar })}
          />
          for
          <Stepper
            label="Bars of a trial"
            value={settings.bars ?? 2}
            from={1}
            to={16}
            unit={settings.bars === 1 ? 'bar' : 'bars'}
            onChange={(bars) => setSettings({ bars })}
          />
          <Switch
            label="count-in"
            on={settings.count_in ?? true}
            onChange={(count_in) => setSettings({ count_in })}
            className="ml-1"
          />
        </p>
      )}
    </section>
  )
}

function Row({ trial, place, trials }: { trial: Trial; place: number; trials: Trials }) {
  const shown = trials.trial?.id === trial.id
  const plays = trials.playing === trial.id
  const here = trials.placement?.same_as === trial.id
  const missing = trials.compared?.missing.find((entry) => entry.trial_id === trial.id)
  const row = useRef<HTMLLIElement>(null)
  useEffect(() => {
    if (shown) row.current?.scrollIntoView({ block: 'nearest' })
  }, [shown])
  return (
    <li
      ref={row}
      className={`grid grid-cols-[34px_minmax(0,1fr)_auto] items-center gap-x-2.5 border bg-sheet py-1 pr-2.5 pl-1 ${shown ? 'border-[1.8px] border-ink' : 'border-rule'}`}
    >
      <button
        onClick={() => trials.hear(trial.id)}
        aria-pressed={plays}
        aria-label={`Hear trial ${trial.number}`}
        className={`grid h-10 place-items-center font-name text-[24px] leading-none font-bold ${plays ? 'bg-mic text-white' : 'hover:bg-wash'}`}
      >
        {place}
      </button>
      <div className="min-w-0 text-[13.5px] leading-[1.3]">
        <button
          className="block max-w-full truncate text-left font-semibold"
          onClick={() => trials.show({ trial: trial.id })}
        >
          {trial.note || trial.words}
        </button>
        <p className="flex gap-x-2.5 truncate text-pencil">
          <span>trial {trial.number}</span>
          {missing ? (
            <Verdict verdict="fix">{missing.says}</Verdict>
          ) : (
            trial.verdict !== 'good' && <Verdict verdict={trial.verdict}>{trial.said}</Verdict>
          )}
          {trial.origin === 'imported' ? (
            <span>imported</span>
          ) : trial.chosen ? (
            <b className="text-ink">✓ chosen</b>
          ) : (
            <button className="underline underline-offset-2 hover:text-ink" onClick={() => trials.choose(trial)}>
              {here && trial.verdict === 'good' ? 'Choose, stands so now' : 'Choose'}
            </button>
          )}
          {trial.origin !== 'imported' && (
            <Link to={`/placement-sheet/${trial.id}`} className="underline underline-offset-2 hover:text-ink">
              Put back
            </Link>
          )}
          <button className="underline underline-offset-2 hover:text-ink" onClick={() => void trials.bin(trial)}>
            Bin
          </button>
        </p>
      </div>
      <TrialWave trial={trial} on={plays || shown} />
    </li>
  )
}

/** The first microphone of a clip, where it is listened to. */
function TrialWave({ trial, on }: { trial: Trial; on: boolean }) {
  const wave = useWave(trial.id).data
  const channel = Math.max(
    0,
    trial.channels.findIndex((entry) => entry.kind === 'mic'),
  )
  const columns = wave?.channels[channel]
  if (!columns || !wave) return <svg {...WAVE} aria-hidden className="max-[1120px]:hidden" />
  const stretch = {
    startFrame: trial.heard_from_frame - trial.from_frame,
    endFrame: trial.heard_to_frame - trial.from_frame,
  }
  const box = { x: 0, y: WAVE.height / 2, width: WAVE.width, height: (WAVE.height * 127) / loudest(columns) }
  return (
    <svg {...WAVE} aria-hidden className="max-[1120px]:hidden">
      <path d={wavePath(columns, wave.framesPerColumn, stretch, box)} fill={on ? 'var(--mic)' : 'var(--faint)'} />
    </svg>
  )
}
