import { useState } from 'react'
import type { Bench } from '../../api/client'
import { FormDialog } from '../../ui/FormDialog'

/** A tone is kept: under the name that it has as its next revision, under another as a tone of its own. */
export function KeepDialog({
  bench,
  open,
  onKeep,
  onClose,
}: {
  bench: Bench
  open: boolean
  onKeep: (name: string, use: string) => Promise<void>
  onClose: () => void
}) {
  const [name, setName] = useState(bench.tone_name)
  const [use, setUse] = useState(bench.use)
  return (
    <FormDialog open={open} title="Keep the tone" main="Keep" onKeep={() => onKeep(name, use)} onClose={onClose}>
      <label className="block">
        Name
        <input
          autoFocus
          value={name}
          maxLength={60}
          onChange={(event) => setName(event.target.value)}
          className="mt-1 block w-full border-b border-ink bg-transparent py-1 outline-none"
        />
      </label>
      <label className="mt-4 block">
        Words
        <input
          value={use}
          maxLength={120}
          onChange={(event) => setUse(event.target.value)}
          className="mt-1 block w-full border-b border-ink bg-transparent py-1 outline-none"
        />
      </label>
      <p className="mt-3 text-[13.5px] text-pencil">
        {name.trim() === bench.tone_name
          ? 'It becomes the next revision; the older ones stay.'
          : 'It becomes a tone of its own.'}
      </p>
    </FormDialog>
  )
}
