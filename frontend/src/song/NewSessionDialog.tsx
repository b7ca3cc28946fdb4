import { useState } from 'react'
import { type NewSession, answered, api } from '../api/client'
import { openSession, queryClient } from '../api/queries'
import { FormDialog } from '../ui/FormDialog'
import { Select } from '../ui/Select'

const RATES = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000] as const
const DEPTHS = ['16', '24', '32f'] as const
const SAID = { '16': '16 bit', '24': '24 bit', '32f': '32 bit float' }

/** A new session: the rate is settled here once and for all, everything else can be changed later. */
export function NewSessionDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [name, setName] = useState('')
  const [artist, setArtist] = useState('')
  const [rate, setRate] = useState<(typeof RATES)[number]>(48_000)
  const [depth, setDepth] = useState<(typeof DEPTHS)[number]>('24')
  const [pitch, setPitch] = useState('440')
  const [tempo, setTempo] = useState('120')

  async function make() {
    const body: NewSession = {
      name,
      artist,
      rate_hz: rate,
      depth,
      reference_pitch_hz: Number(pitch.replace(',', '.')) || 0,
      tempo,
      beats_per_bar: 4,
      unit: 4,
    }
    const made = await answered(api.POST('/api/sessions', { body }))
    await openSession(made.id)
    void queryClient.invalidateQueries({ queryKey: ['sessions'] })
    setName('')
  }

  return (
    <FormDialog open={open} title="A new session" main="Make the session" onKeep={make} onClose={onClose}>
      <div className="grid grid-cols-[9rem_1fr] items-baseline gap-y-3">
        <Line label="Song">
          <input
            autoFocus
            required
            maxLength={120}
            value={name}
            onChange={(event) => setName(event.target.value)}
            className={`${FIELD} grow`}
            aria-label="Song"
          />
        </Line>
        <Line label="By">
          <input
            maxLength={120}
            value={artist}
            onChange={(event) => setArtist(event.target.value)}
            className={`${FIELD} grow`}
            aria-label="By"
          />
        </Line>
        <Line label="Sample rate">
          <Select
            label="Sample rate"
            value={rate}
            options={RATES}
            said={(hz) => `${hz / 1000} kHz`}
            onChange={setRate}
          />
        </Line>
        <Line label="Depth">
          <Select label="Depth" value={depth} options={DEPTHS} said={(bits) => SAID[bits]} onChange={setDepth} />
        </Line>
        <Line label="Tempo">
          <input
            value={tempo}
            onChange={(event) => setTempo(event.target.value)}
            className={`${FIELD} w-20`}
            aria-label="Tempo"
          />
          <span className="ml-2 text-pencil">beats a minute</span>
        </Line>
        <Line label="Reference pitch">
          <input
            value={pitch}
            onChange={(event) => setPitch(event.target.value)}
            className={`${FIELD} w-20`}
            aria-label="Reference pitch"
          />
          <span className="ml-2 text-pencil">Hz</span>
        </Line>
      </div>
    </FormDialog>
  )
}

const FIELD = 'border-b border-rule bg-transparent px-0.5 focus:border-ink focus:outline-none'

function Line({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <>
      <span className="text-pencil">{label}</span>
      <span className="flex items-baseline">{children}</span>
    </>
  )
}
