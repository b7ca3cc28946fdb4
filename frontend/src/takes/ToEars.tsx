import { HeadphoneOff, Headphones, SlidersHorizontal } from 'lucide-react'
import { useState, useSyncExternalStore } from 'react'
import { reportErrors, showThenPut } from '../api/acts'
import type { Monitoring, MonitoringView, SignalKind } from '../api/client'
import { answered, api } from '../api/client'
import { useLive } from '../api/live'
import { queryClient, useMonitoring, useTones } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useHearing } from '../desk/Hearing'
import { useOpenSession } from '../desk/OpenSession'
import { Select } from '../ui/Select'
import { Switch } from '../ui/Switch'
import { figure } from '../ui/format'
import { CordCard, CordEnd } from './CordCard'
import { CueSheet } from './CueSheet'

const WHEN: Record<Monitoring['when'], string> = {
  always: 'always',
  'rolling or stopped': 'playing, or stopped',
  never: 'never',
}

// The tone that is worked out in Re-amp, as it is turned.
const BENCH = 'bench'

const SHORT: Record<string, string> = { converters: 'in/out', 'buffer in and out': 'buffer' }

/** What goes to the ears: how the own playing is heard and when, the delay that comes of it, and the cue's levels. */
export function ToEars() {
  const { part } = useOpenSession()
  const { comparison, heard } = useChoice()
  const hearing = useHearing()
  const rolling = useLive((live) => live.rolling)
  const standingBy = useLive((live) => live.standingBy)
  const view = useMonitoring(part?.id).data
  const tones = useTones().data ?? []
  const [levels, setLevels] = useState(false)
  const { waitingMs, on } = useSyncExternalStore(hearing.ears.subscribe, hearing.ears.snapshot)
  if (!part || !view) return null
  const { settings } = view
  const sound = comparison?.sounds.find((entry) => entry.key === heard)
  const live = rolling !== null || standingBy !== null

  async function set(changes: Partial<Monitoring>) {
    const body = { ...settings, ...changes }
    await reportErrors(async () => {
      await showThenPut<MonitoringView>(['monitoring', part!.id], { ...view!, settings: body }, () =>
        answered(api.PUT('/api/parts/{part_id}/monitoring', { params: { path: { part_id: part!.id } }, body })),
      )
      void queryClient.invalidateQueries({ queryKey: ['session'] })
    })
  }

  // One list for where it comes from: nothing, the inputs, the tones.
  const options = [
    'nothing',
    ...view.channels.map((name) => `input ${name}`),
    ...(view.has_di ? [BENCH, ...tones.map((tone) => `tone ${tone.id}`)] : []),
  ]
  const chosen =
    settings.hear === 'nothing'
      ? 'nothing'
      : settings.hear === 'tone'
        ? settings.from_bench
          ? BENCH
          : `tone ${settings.tone_revision_id}`
        : `input ${settings.channel ?? view.channels.find((name) => name !== 'DI') ?? view.channels[0]}`
  const said = (option: string) => {
    if (option === 'nothing') return 'not at all'
    if (option.startsWith('input ')) return `${option.slice(6)}, as it comes in`
    if (option === BENCH)
      return `through the tone on the bench${settings.from_bench ? `, ${view.tone_name ?? ''}` : ''}`
    const id = option.slice(5)
    return `through ${tones.find((tone) => tone.id === id)?.name ?? view.tone_name ?? 'a tone'}`
  }
  function choose(option: string) {
    if (option === 'nothing') void set({ hear: 'nothing' })
    else if (option.startsWith('input ')) void set({ hear: 'interface', channel: option.slice(6) })
    else if (option === BENCH) void set({ hear: 'tone', from_bench: true })
    else void set({ hear: 'tone', from_bench: false, tone_revision_id: option.slice(5) })
  }

  const ownKind: SignalKind | null =
    settings.hear === 'tone' ? 'sim' : settings.hear === 'nothing' ? null : chosen === 'input DI' ? 'di' : 'mic'
  const delay = view.delay
  return (
    <CordCard
      title="To your ears"
      aside={
        <span className="flex items-center gap-2.5 text-[13px] text-pencil">
          <button
            onClick={hearing.toggleListening}
            aria-pressed={hearing.listens}
            aria-label="Phones"
            title={hearing.listens ? 'The phones are on' : 'The phones are off'}
            className="hover:text-ink"
          >
            {hearing.listens ? (
              <Headphones size={15} aria-hidden className="text-ink" />
            ) : (
              <HeadphoneOff size={15} aria-hidden />
            )}
          </button>
          <button onClick={() => setLevels(true)} className="flex items-center gap-1 hover:text-ink">
            <SlidersHorizontal size={13} aria-hidden /> {hearing.cue?.name ?? 'cue'}
          </button>
        </span>
      }
    >
      <ul>
        {live || !sound ? (
          <CordEnd
            kind={ownKind}
            name={settings.hear === 'nothing' || settings.when === 'never' ? 'click and what plays' : said(chosen)}
            detail="to your ears only"
            moving={live && hearing.listens}
          />
        ) : (
          <CordEnd kind={sound.kind} name={`${sound.name}, from disk`} detail="not to disk" moving={false} />
        )}
      </ul>
      <dl className="mt-1.5 grid grid-cols-[3.1rem_minmax(0,1fr)] gap-y-1 text-[13.5px]">
        <dt className="text-pencil">Me</dt>
        <dd className="min-w-0">
          <Select label="How I hear myself" value={chosen} options={options} onChange={choose} said={said} />
        </dd>
        {settings.hear !== 'nothing' && (
          <>
            <dt className="text-pencil">When</dt>
            <dd className="min-w-0">
              <Select
                label="When I hear myself"
                value={settings.when}
                options={Object.keys(WHEN) as Monitoring['when'][]}
                onChange={(when) => void set({ when })}
                said={(when) => WHEN[when]}
              />
            </dd>
          </>
        )}
      </dl>
      {delay && (
        <p className="mt-1 text-[12.5px] leading-snug text-pencil">
          <b className={delay.feel === 'comfortable' ? 'text-ink' : 'text-mic'}>{figure(delay.total_ms)} ms</b>,{' '}
          {delay.feel}
          {!delay.measured && ', not measured yet'}
          {on && live && waitingMs > 0 && `; here + ${figure(waitingMs, 0)}`}
          <br />
          {delay.parts.map((entry) => `${SHORT[entry.name] ?? entry.name} ${figure(entry.ms)}`).join(', ')}
        </p>
      )}
      <ToneLoad />
      {settings.hear !== 'nothing' && settings.when !== 'never' && hearing.listens && (
        <Switch
          className="mt-1 text-[13px]"
          label="also when stopped"
          on={hearing.trying}
          onChange={hearing.toggleTrying}
        />
      )}
      {settings.hear === 'tone' && (
        <Switch
          className="mt-1 text-[13px]"
          label="print it beside the DI"
          on={settings.print_sim}
          onChange={(print_sim) => void set({ print_sim })}
        />
      )}
      <CueSheet open={levels} onClose={() => setLevels(false)} />
    </CordCard>
  )
}

/** Told when the tone that is heard needs nearly all of the time that it has. */
function ToneLoad() {
  const share = useLive((live) => Math.round(100 * (live.meters?.monitor_load ?? 0)))
  if (share <= 80) return null
  return <p className="text-[12.5px] text-mic">! tone needs {share} % of its time</p>
}
