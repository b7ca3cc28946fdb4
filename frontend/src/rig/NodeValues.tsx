import type { Choices, Rig, RigView } from '../api/client'
import { MOST_MICS, anotherMic, freeInput, plainInput } from './newMic'
import { Button } from '../ui/Button'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Switch } from '../ui/Switch'
import { TextField } from '../ui/TextField'
import { figure } from '../ui/format'
import { Head, InputValues, Line } from './InputValues'
import { LoadCurve } from './LoadCurve'
import { MicValues } from './MicValues'
import type { RigActs } from './useRigActs'

/** What the chosen node is set to, beside what it does to the signal. */
export function NodeValues({
  view,
  choices,
  chosen,
  acts,
  onChoose,
}: {
  view: RigView
  choices: Choices
  chosen: string
  acts: RigActs
  onChoose: (node: string) => void
}) {
  const warnings = view.warnings.filter((warning) => warning.node === chosen)
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_minmax(0,390px)] gap-x-8 overflow-y-auto border-t border-rule pt-3">
      <div className="flex min-w-0 flex-col gap-2">
        {warnings.map((warning) => (
          <p key={warning.says} role="status" className="mb-1 font-semibold text-mic">
            {warning.verdict === 'fix' ? '! Fix' : '~ Look'}: {warning.says}.
          </p>
        ))}
        <Values
          view={view}
          choices={choices}
          chosen={chosen}
          onChange={(rig) => void acts.setRig(rig)}
          onChoose={onChoose}
        />
      </div>
      <Effect view={view} chosen={chosen} />
    </div>
  )
}

interface ValuesProps {
  view: RigView
  choices: Choices
  chosen: string
  onChange: (rig: Rig) => void
  onChoose: (node: string) => void
}

function Values({ view, choices, chosen, onChange, onChoose }: ValuesProps) {
  const { rig } = view
  switch (chosen) {
    case 'instrument':
      return <InstrumentValues rig={rig} openNotes={view.open_notes} choices={choices} onChange={onChange} />
    case 'di':
      return <DiValues rig={rig} choices={choices} onChange={onChange} />
    case 'amp':
      return <AmpValues rig={rig} choices={choices} onChange={onChange} onChoose={onChoose} />
    case 'ears':
      return (
        <>
          <Head>To your ears</Head>
          <Line label="You hear">
            <Select
              label="How the player hears the instrument"
              value={rig.listens ?? 'amp'}
              options={['amp', 'phones', 'both'] as const}
              said={(way) =>
                ({ amp: 'the amp in the room', phones: 'phones, through the computer', both: 'both' })[way]
              }
              onChange={(listens) => onChange({ ...rig, listens })}
            />
          </Line>
          {view.ears.map((ear) => (
            <p key={ear.way}>
              {ear.way}: <b>{ear.delay_ms.toFixed(1)} ms</b>, {ear.feel}
            </p>
          ))}
        </>
      )
    default:
      return (
        <MicValues
          rig={rig}
          choices={choices}
          name={chosen.replace('mic:', '')}
          onChange={onChange}
          onChoose={onChoose}
        />
      )
  }
}

function InstrumentValues({
  rig,
  openNotes,
  choices,
  onChange,
}: {
  rig: Rig
  openNotes: string[]
  choices: Choices
  onChange: (rig: Rig) => void
}) {
  const instrument = choices.instruments.find((entry) => entry.name === rig.instrument)!
  const tuning = Object.entries(instrument.tunings).find(
    ([, notes]) => String(notes) === String(rig.tuning?.length ? rig.tuning : Object.values(instrument.tunings)[0]),
  )
  const pickup = rig.pickup
  return (
    <>
      <Head>{instrument.name}</Head>
      <Line label="Tuning">
        <Select
          label="Tuning"
          value={tuning?.[0] ?? 'own'}
          options={[...Object.keys(instrument.tunings), ...(tuning ? [] : ['own'])]}
          detail={(name) => instrument.tuning_notes[name]?.join(' ') ?? ''}
          onChange={(name) => onChange({ ...rig, tuning: instrument.tunings[name] ?? [] })}
        />
        <TextField
          label="Open strings from the lowest, as E2 A2 D3"
          value={openNotes.join(' ')}
          // The server reads names of notes as well as numbers.
          onKeep={(typed) => onChange({ ...rig, tuning: typed.trim().split(/[\s,]+/) as unknown as number[] })}
          className="ml-4 w-44 border-rule text-[13.5px] text-pencil"
        />
      </Line>
      <Line label="Pickup">
        {pickup.kind}
        <span className="ml-2 text-pencil">
          {pickup.kind === 'piezo'
            ? `${((pickup.capacitance_farad ?? 0) * 1e12).toFixed(0)} pF`
            : `${pickup.inductance_h} H, ${((pickup.resistance_ohm ?? 0) / 1000).toFixed(1)} kΩ`}
        </span>
      </Line>
      {pickup.kind !== 'piezo' && (
        <Slider
          label="Inductance"
          value={pickup.inductance_h ?? 2.5}
          from={0.5}
          to={10}
          step={0.1}
          digits={1}
          unit="H"
          onChange={(inductance_h) => onChange({ ...rig, pickup: { ...pickup, inductance_h } })}
        />
      )}
      <Slider
        label="Loudest"
        value={rig.string_volts ?? 0.85}
        from={0.1}
        to={4}
        step={0.05}
        digits={2}
        unit="V"
        onChange={(string_volts) => onChange({ ...rig, string_volts })}
      />
      {rig.di && (
        <Slider
          label="Cable"
          value={rig.di.cable_m ?? 5}
          from={0}
          to={30}
          step={0.5}
          digits={1}
          unit="m"
          onChange={(cable_m) => onChange({ ...rig, di: { ...rig.di!, cable_m } })}
        />
      )}
      {!rig.di && (
        <Button
          className="self-start"
          onClick={() =>
            onChange({
              ...rig,
              di: {
                box: 'none',
                ratio: null,
                ground_lift: false,
                cable_m: 5,
                input: plainInput(freeInput(rig, choices), 'instrument', 3),
              },
            })
          }
        >
          Keep a DI
        </Button>
      )}
    </>
  )
}

function DiValues({ rig, choices, onChange }: { rig: Rig; choices: Choices; onChange: (rig: Rig) => void }) {
  const di = rig.di
  if (!di) return null
  const set = (changes: Partial<typeof di>) => onChange({ ...rig, di: { ...di, ...changes } })
  return (
    <>
      <Head>DI, the clean copy</Head>
      <Line label="Box">
        <Select
          label="DI box"
          value={di.box ?? 'none'}
          options={choices.boxes.map((box) => box.kind)}
          said={(kind) =>
            ({ none: 'none: straight into the input', passive: 'passive box', active: 'active box' })[kind]
          }
          detail={(kind) => {
            const box = choices.boxes.find((entry) => entry.kind === kind)!
            return box.ratio ? `${box.ratio} : 1${box.needs_phantom ? ', needs 48 V' : ''}` : ''
          }}
          onChange={(box) => set({ box, ratio: null })}
        />
        {di.box !== 'none' && (
          <Switch
            className="mr-4 text-[14px]"
            label="Ground lifted"
            on={di.ground_lift ?? false}
            onChange={(ground_lift) => set({ ground_lift })}
          />
        )}
      </Line>
      {di.box !== 'none' && (
        <Slider
          label="Its ratio"
          value={di.ratio ?? choices.boxes.find((box) => box.kind === di.box)!.ratio ?? 1}
          from={1}
          to={20}
          step={0.5}
          digits={1}
          unit=": 1"
          onChange={(ratio) => set({ ratio })}
        />
      )}
      <InputValues use={di.input} choices={choices} onChange={(input) => set({ input })} />
      <Button className="self-start" disabled={!rig.mics?.length} onClick={() => onChange({ ...rig, di: null })}>
        Keep no DI
      </Button>
    </>
  )
}

function AmpValues({
  rig,
  choices,
  onChange,
  onChoose,
}: {
  rig: Rig
  choices: Choices
  onChange: (rig: Rig) => void
  onChoose: (node: string) => void
}) {
  const amp = rig.amp
  if (!amp) return null
  const mics = rig.mics ?? []
  return (
    <>
      <Head>Amp and speaker</Head>
      <Line label="Amp">
        <Select
          label="Amp"
          value={amp.name ?? ''}
          options={[...new Set([amp.name ?? '', ...choices.amps.map((entry) => entry.name ?? '')])]}
          onChange={(name) => onChange({ ...rig, amp: choices.amps.find((entry) => entry.name === name) ?? amp })}
        />
      </Line>
      <Line label="Speaker">
        <Select
          label="Speaker"
          value={amp.speaker ?? ''}
          options={choices.speakers.map((entry) => entry.name)}
          detail={(name) => choices.speakers.find((entry) => entry.name === name)!.title}
          onChange={(speaker) => onChange({ ...rig, amp: { ...amp, speaker } })}
        />
      </Line>
      <Line label="Room">
        <Select
          label="Room"
          value={rig.room ?? 'dry'}
          options={choices.rooms}
          onChange={(room) => onChange({ ...rig, room })}
        />
      </Line>
      {(amp.blocks?.length ?? 0) > 0 && (
        <Slider
          label="Cable"
          value={amp.cable_m ?? 3}
          from={0}
          to={30}
          step={0.5}
          digits={1}
          unit="m"
          onChange={(cable_m) => onChange({ ...rig, amp: { ...amp, cable_m } })}
        />
      )}
      <Button
        className="self-start"
        disabled={mics.length >= MOST_MICS}
        onClick={() => {
          const added = anotherMic(rig, choices)
          onChange({ ...rig, mics: [...mics, added] })
          onChoose(`mic:${added.name}`)
        }}
      >
        Add a microphone
      </Button>
    </>
  )
}

/** What the choice does: the pickup under its load, or the level at the converter. */
function Effect({ view, chosen }: { view: RigView; chosen: string }) {
  if (chosen === 'instrument' || chosen === 'di') return <LoadCurve view={view} />
  const name = chosen.replace('mic:', '')
  const found = view.channels.find((channel) => channel.name === name)
  if (!found) return <div />
  return (
    <dl className="grid self-start grid-cols-[1fr_auto] content-start gap-y-1.5 border border-rule bg-sheet px-5 py-4">
      <dt className="text-pencil">Loudest strokes, peak</dt>
      <dd className="text-right font-semibold">{figure(found.peak_dbfs)} dBFS</dd>
      <dt className="text-pencil">Their average</dt>
      <dd className="text-right font-semibold">{figure(found.average_dbfs)} dBFS</dd>
      <dt className="text-pencil">Noise at rest</dt>
      <dd className="text-right font-semibold">{figure(found.noise_dbfs)} dBFS</dd>
      <dt className="text-pencil">Between them</dt>
      <dd className="text-right font-semibold">{figure(found.average_dbfs - found.noise_dbfs, 0)} dB</dd>
      <dd className="col-span-2 mt-1 border-t border-rule pt-2">
        {found.turn_db === 0
          ? '✓ The gain is right'
          : `~ Turn input ${found.input} ${found.turn_db > 0 ? 'up' : 'down'} ${Math.abs(found.turn_db)} dB`}
        , computed through the whole rig; the level check measures it.
      </dd>
    </dl>
  )
}
