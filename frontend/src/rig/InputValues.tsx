import type { Choices, InputUse } from '../api/client'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Stepper } from '../ui/Stepper'
import { Switch } from '../ui/Switch'

/** An input of the interface, and how it is set. */
export function InputValues({
  use,
  choices,
  onChange,
}: {
  use: InputUse
  choices: Choices
  onChange: (use: InputUse) => void
}) {
  const facts = choices.inputs.find((entry) => entry.kind === use.kind)!
  return (
    <>
      <Line label="Input">
        <Stepper
          label="Input"
          value={use.number}
          from={1}
          to={choices.interface_inputs}
          onChange={(number) => onChange({ ...use, number })}
        />
        <span className="ml-3">
          <Select
            label="Kind of input"
            value={use.kind ?? 'microphone'}
            options={['instrument', 'microphone', 'line'] as const}
            detail={(kind) => `${ohms(choices.inputs.find((entry) => entry.kind === kind)!.ohm)}`}
            onChange={(kind) => {
              const range = choices.inputs.find((entry) => entry.kind === kind)!
              const gain_db = Math.min(range.highest_gain_db, Math.max(range.lowest_gain_db, use.gain_db ?? 0))
              onChange({ ...use, kind, gain_db })
            }}
          />
        </span>
        <span className="ml-3 text-[13.5px] text-pencil">{ohms(facts.ohm)}</span>
      </Line>
      <Slider
        label="Gain"
        value={use.gain_db ?? 0}
        from={facts.lowest_gain_db}
        to={facts.highest_gain_db}
        unit="dB"
        onChange={(gain_db) => onChange({ ...use, gain_db })}
      />
      <Line label="Switches">
        <Switch
          className="mr-4 text-[14px]"
          label="Pad"
          on={use.pad ?? false}
          onChange={(pad) => onChange({ ...use, pad })}
        />
        <Switch
          className="mr-4 text-[14px]"
          label="48 V"
          on={use.phantom ?? false}
          onChange={(phantom) => onChange({ ...use, phantom })}
        />
        <Switch
          className="mr-4 text-[14px]"
          label="Polarity turned"
          on={use.flipped ?? false}
          onChange={(flipped) => onChange({ ...use, flipped })}
        />
      </Line>
    </>
  )
}

export const ohms = (ohm: number) => (ohm >= 1e6 ? `${ohm / 1e6} MΩ` : `${ohm / 1e3} kΩ`)

export function Head({ children }: { children: string }) {
  return <h2 className="text-[19px] leading-tight first-letter:uppercase">{children}</h2>
}

export function Line({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="flex min-h-7 items-center gap-2.5">
      <span className="w-[92px] shrink-0 text-[13.5px] text-pencil">{label}</span>
      <span className="flex min-w-0 flex-wrap items-center gap-y-1">{children}</span>
    </div>
  )
}
