import { useState } from 'react'
import type { Bench } from '../../api/client'
import { FormDialog } from '../../ui/FormDialog'
import { Switch } from '../../ui/Switch'
import { INSTRUMENTS, type Instrument } from '../tones/useFound'

/** A tone is kept: under the name that it has as its next revision, under another as a tone of its own. */
export function KeepDialog({
  bench,
  open,
  onKeep,
  onClose,
}: {
  bench: Bench
  open: boolean
  onKeep: (name: string, use: string, instruments: Instrument[]) => Promise<void>
  onClose: () => void
}) {
  const [name, setName] = useState(bench.tone_name)
  const [use, setUse] = useState(bench.use)
  const [instruments, setInstruments] = useState<Instrument[]>(bench.instruments)
  return (
    <FormDialog
      open={open}
      title="Keep the tone"
      main="Keep"
      onKeep={() => onKeep(name, use, instruments)}
      onClose={onClose}
    >
      <Line label="Name" value={name} longest={60} first onType={setName} />
      <Line label="Words" value={use} longest={120} onType={setUse} />
      <fieldset className="mt-4 flex gap-4">
        <legend className="mb-1">For</legend>
        {INSTRUMENTS.map((each) => (
          <Switch
            key={each}
            label={each}
            on={instruments.includes(each)}
            onChange={(on) =>
              setInstruments((now) => INSTRUMENTS.filter((one) => (one === each ? on : now.includes(one))))
            }
          />
        ))}
      </fieldset>
      <p className="mt-3 text-[13.5px] text-pencil">
        {name.trim() === bench.tone_name
          ? 'It becomes the next revision; the older ones stay.'
          : 'It becomes a tone of its own.'}
      </p>
    </FormDialog>
  )
}

interface LineProps {
  label: string
  value: string
  longest: number
  /** It is typed into as the dialog opens. */
  first?: boolean
  onType: (value: string) => void
}

function Line({ label, value, longest, first = false, onType }: LineProps) {
  return (
    <label className={first ? 'block' : 'mt-4 block'}>
      {label}
      <input
        autoFocus={first}
        onFocus={(event) => first && event.target.select()}
        value={value}
        maxLength={longest}
        onChange={(event) => onType(event.target.value)}
        className="mt-1 block w-full border-b border-ink bg-transparent py-1 outline-none"
      />
    </label>
  )
}
