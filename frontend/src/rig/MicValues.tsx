import type { Choices, Rig } from '../api/client'
import { Button } from '../ui/Button'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Switch } from '../ui/Switch'
import { Head, InputValues, Line } from './InputValues'

/** A microphone: its kind, where it stands and looks, and its input. */
export function MicValues({
  rig,
  choices,
  name,
  onChange,
  onChoose,
}: {
  rig: Rig
  choices: Choices
  name: string
  onChange: (rig: Rig) => void
  onChoose: (node: string) => void
}) {
  const mic = rig.mics?.find((entry) => entry.name === name)
  if (!mic) return null
  const set = (changes: Partial<typeof mic>) =>
    onChange({ ...rig, mics: rig.mics!.map((entry) => (entry.name === name ? { ...entry, ...changes } : entry)) })
  const kind = choices.mics.find((entry) => entry.kind === mic.kind)
  const points = choices.speakers.find((entry) => entry.name === rig.amp?.speaker)?.points ?? []
  const patterns = Object.entries(choices.patterns)
  const switched = patterns.find(([, share]) => share === mic.pattern)?.[0] ?? 'as it is'
  const pattern = mic.pattern == null ? (kind?.pattern ?? 'as it is') : switched
  return (
    <>
      <Head>{mic.name}</Head>
      <Line label="Kind">
        <Select
          label="Kind of microphone"
          value={mic.kind}
          options={choices.mics.map((entry) => entry.kind)}
          detail={(entry) => {
            const facts = choices.mics.find((found) => found.kind === entry)!
            return `${facts.title}, ${facts.needs}`
          }}
          onChange={(next) => set({ kind: next })}
        />
        <span className="ml-3 text-[13.5px] text-pencil">
          {kind?.title}, {kind?.needs}
        </span>
      </Line>
      {kind?.switchable && (
        <Line label="Pattern">
          <Select
            label="Pattern"
            value={pattern}
            options={patterns.map(([entry]) => entry)}
            onChange={(entry) => set({ pattern: choices.patterns[entry] })}
          />
        </Line>
      )}
      {points.length > 1 && (
        <Line label="Measured from">
          <Select
            label="Measured from"
            value={points.find((point) => point === mic.point) ?? points[0]!}
            options={points}
            onChange={(point) => set({ point })}
          />
        </Line>
      )}
      <div className="grid grid-cols-2 items-center gap-x-4 gap-y-2">
        <Slider
          short
          label="Away"
          value={mic.distance_m * 100}
          from={1}
          to={100}
          step={0.5}
          digits={1}
          unit="cm"
          onChange={(cm) => set({ distance_m: cm / 100 })}
        />
        <Switch
          className="text-[14px]"
          label="Absorber behind it"
          on={mic.absorber ?? false}
          onChange={(absorber) => set({ absorber })}
        />
        <Slider
          short
          label="To the right"
          value={(mic.off_centre_m ?? 0) * 100}
          from={-30}
          to={30}
          step={0.5}
          digits={1}
          unit="cm"
          onChange={(cm) => set({ off_centre_m: cm / 100 })}
        />
        <Slider
          short
          label="Turned right"
          value={mic.turned_deg ?? 0}
          from={-90}
          to={90}
          unit="°"
          onChange={(turned_deg) => set({ turned_deg })}
        />
        <Slider
          short
          label="Up"
          value={(mic.height_m ?? 0) * 100}
          from={-30}
          to={30}
          step={0.5}
          digits={1}
          unit="cm"
          onChange={(cm) => set({ height_m: cm / 100 })}
        />
        <Slider
          short
          label="Tilted up"
          value={mic.tilted_deg ?? 0}
          from={-90}
          to={90}
          unit="°"
          onChange={(tilted_deg) => set({ tilted_deg })}
        />
      </div>
      <InputValues use={mic.input} choices={choices} onChange={(input) => set({ input })} />
      <Button
        className="self-start"
        disabled={(rig.mics?.length ?? 0) < 2 && !rig.di}
        onClick={() => {
          onChange({ ...rig, mics: rig.mics!.filter((entry) => entry.name !== name) })
          onChoose('amp')
        }}
      >
        Remove {mic.name}
      </Button>
    </>
  )
}
