import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { ChevronDown } from 'lucide-react'
import { useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Choices, type Part, answered, api } from '../api/client'
import { notice, useLive } from '../api/live'
import { queryClient, useKits } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Button } from '../ui/Button'
import { FormDialog } from '../ui/FormDialog'
import { Select } from '../ui/Select'
import { Dialog } from '../ui/Dialog'
import { TextField } from '../ui/TextField'

/** Which part is set up; add one from an instrument, a kit or another part; keep this one's rig as a kit. */
export function PartHead({ part, choices }: { part: Part | undefined; choices: Choices }) {
  const { session, arm } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const listening = useLive((live) => live.listening)
  const [adding, setAdding] = useState(session.parts.length === 0)
  const [keeping, setKeeping] = useState(false)

  const put = (act: () => Promise<unknown>) =>
    reportErrors(async () => {
      await act()
      await queryClient.invalidateQueries({ queryKey: ['session'] })
    })

  return (
    <div>
      <Listbox value={part?.id ?? ''} onChange={arm} disabled={rolling !== null || listening !== null}>
        <ListboxButton className="flex items-center gap-2 text-left font-name text-[26px] leading-none font-bold">
          {part?.name ?? 'No part yet'}
          <ChevronDown size={20} className="text-pencil" aria-hidden />
        </ListboxButton>
        <ListboxOptions anchor="bottom start" className="z-20 w-60 border border-ink bg-sheet py-1 text-ink">
          {session.parts.map((entry) => (
            <ListboxOption
              key={entry.id}
              value={entry.id}
              className="px-3.5 py-2 data-focus:bg-wash data-selected:font-bold"
            >
              {entry.name}
              <span className="block text-[13px] font-normal text-pencil">
                {entry.instrument}
                {entry.armed ? ', armed' : ''}
              </span>
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      <p className="mt-1.5 text-[13px] text-pencil">
        {part ? `armed · ${part.instrument}` : 'add the first one'}
        {part?.can_be_removed && (
          <>
            {' · '}
            <button
              className="text-ink underline underline-offset-4"
              onClick={() =>
                void put(() =>
                  answered(
                    api.DELETE('/api/sessions/{session_id}/parts/{part_id}', {
                      params: { path: { session_id: session.id, part_id: part.id } },
                    }),
                  ),
                )
              }
            >
              remove
            </button>
          </>
        )}
      </p>
      <div className="mt-2 flex flex-wrap gap-2">
        <Button onClick={() => setAdding(true)}>Add a part</Button>
        {part && <Button onClick={() => setKeeping(true)}>Keep as a kit</Button>}
      </div>
      <label className="mt-2 flex items-center gap-1.5 text-[13.5px]">
        <input
          type="checkbox"
          className="size-4 accent-(--ink)"
          checked={session.arm_together}
          onChange={(event) =>
            void put(() =>
              answered(
                api.PUT('/api/sessions/{session_id}/about', {
                  params: { path: { session_id: session.id } },
                  body: {
                    name: session.name,
                    artist: session.artist,
                    depth: session.depth,
                    reference_pitch_hz: session.reference_pitch_hz,
                    arm_together: event.target.checked,
                  },
                }),
              ),
            )
          }
        />
        arm together
      </label>
      {session.arm_together && (
        <ul className="mt-1 text-[13.5px]">
          {session.parts.map((entry) => (
            <li key={entry.id}>
              <label className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="size-3.5 accent-(--ink)"
                  checked={entry.armed}
                  onChange={(event) => {
                    const path = { params: { path: { session_id: session.id, part_id: entry.id } } }
                    void put(() =>
                      event.target.checked
                        ? answered(api.POST('/api/sessions/{session_id}/parts/{part_id}/arm', path))
                        : answered(api.DELETE('/api/sessions/{session_id}/parts/{part_id}/arm', path)),
                    )
                  }}
                />
                {entry.name}
              </label>
            </li>
          ))}
        </ul>
      )}
      <AddPart open={adding} onClose={() => setAdding(false)} choices={choices} onAdded={arm} />
      {part && <KeepKit open={keeping} onClose={() => setKeeping(false)} part={part} />}
    </div>
  )
}

type Way = 'instrument' | 'kit' | 'copy'

function AddPart({
  open,
  onClose,
  choices,
  onAdded,
}: {
  open: boolean
  onClose: () => void
  choices: Choices
  onAdded: (id: string) => void
}) {
  const { session } = useOpenSession()
  const [name, setName] = useState('')
  const [way, setWay] = useState<Way>('instrument')
  const [instrument, setInstrument] = useState('six-string guitar')
  const [withAmp, setWithAmp] = useState(true)
  const [words, setWords] = useState('')
  const [kit, setKit] = useState<string | null>(null)
  const [copied, setCopied] = useState<string | null>(null)
  const kits = useKits(words).data ?? []

  async function add() {
    const part = await answered(
      api.POST('/api/sessions/{session_id}/parts', {
        params: { path: { session_id: session.id } },
        body: {
          name,
          with_amp: withAmp,
          instrument: way === 'instrument' ? instrument : null,
          kit_id: way === 'kit' ? (kit ?? kits[0]?.id) : null,
          copy_of: way === 'copy' ? (copied ?? session.parts[0]?.id) : null,
        },
      }),
    )
    setName('')
    await queryClient.invalidateQueries({ queryKey: ['session'] })
    onAdded(part.id)
  }

  return (
    <FormDialog open={open} title="Add a part" main="Add it" onKeep={add} onClose={onClose}>
      <input
        autoFocus
        required
        maxLength={60}
        value={name}
        onChange={(event) => setName(event.target.value)}
        placeholder="What it plays: Rhythm left"
        aria-label="Name of the part"
        className="w-full border-b border-rule bg-transparent pb-1 text-[18px] placeholder:text-pencil focus:border-ink focus:outline-none"
      />
      <fieldset className="mt-4 flex flex-col gap-3">
        <legend className="sr-only">It begins with</legend>
        <label className="flex items-baseline gap-2.5">
          <input
            type="radio"
            name="way"
            checked={way === 'instrument'}
            onChange={() => setWay('instrument')}
            className="accent-(--ink)"
          />
          <span className="w-28">an instrument</span>
          <Select
            label="Instrument"
            value={instrument}
            options={choices.instruments.map((entry) => entry.name)}
            onChange={(chosen) => {
              setInstrument(chosen)
              setWay('instrument')
            }}
          />
        </label>
        {way === 'instrument' && (
          <label className="ml-[150px] flex items-center gap-2 text-[14px]">
            <input
              type="checkbox"
              checked={withAmp}
              onChange={(event) => setWithAmp(event.target.checked)}
              className="size-4 accent-(--ink)"
            />
            with amp and microphones
          </label>
        )}
        <label className="flex items-baseline gap-2.5">
          <input
            type="radio"
            name="way"
            checked={way === 'kit'}
            onChange={() => setWay('kit')}
            className="accent-(--ink)"
          />
          <span className="w-28">a kit</span>
          <input
            value={words}
            onChange={(event) => {
              setWords(event.target.value)
              setWay('kit')
            }}
            placeholder="find: bass, bright, DI only"
            aria-label="Words to find a kit by"
            className="grow border-b border-rule bg-transparent placeholder:text-pencil focus:border-ink focus:outline-none"
          />
        </label>
        {way === 'kit' && (
          <ul className="ml-[150px] max-h-32 overflow-y-auto text-[14px]">
            {kits.length === 0 && <li className="text-pencil">No kit has these words.</li>}
            {kits.map((entry, index) => (
              <li key={entry.id}>
                <label className="flex items-baseline gap-2 py-0.5">
                  <input
                    type="radio"
                    name="kit"
                    checked={kit ? kit === entry.id : index === 0}
                    onChange={() => setKit(entry.id)}
                    className="accent-(--ink)"
                  />
                  <span>
                    {entry.name}{' '}
                    <span className="text-pencil">
                      {[entry.instrument, entry.use, ...entry.words].filter(Boolean).join(', ')}
                    </span>
                  </span>
                </label>
              </li>
            ))}
          </ul>
        )}
        {session.parts.length > 0 && (
          <label className="flex items-baseline gap-2.5">
            <input
              type="radio"
              name="way"
              checked={way === 'copy'}
              onChange={() => setWay('copy')}
              className="accent-(--ink)"
            />
            <span className="w-28">another part</span>
            <Select
              label="Part to copy"
              value={copied ?? session.parts[0]!.id}
              options={session.parts.map((entry) => entry.id)}
              said={(id) => `${session.parts.find((entry) => entry.id === id)?.name ?? ''}, without its takes`}
              onChange={(id) => {
                setCopied(id)
                setWay('copy')
              }}
            />
          </label>
        )}
      </fieldset>
    </FormDialog>
  )
}

function KeepKit({ open, onClose, part }: { open: boolean; onClose: () => void; part: Part }) {
  const [name, setName] = useState(part.name)
  const [use, setUse] = useState('')
  const [words, setWords] = useState('')

  async function keep() {
    try {
      const body = {
        part_id: part.id,
        name,
        use,
        words: words
          .split(',')
          .map((word) => word.trim())
          .filter(Boolean),
      }
      await answered(api.POST('/api/kits', { body }))
      await queryClient.invalidateQueries({ queryKey: ['kits'] })
      notice(`${name} is a kit: a part can begin from it in any session`)
      onClose()
    } catch (error) {
      notice((error as Error).message)
    }
  }

  return (
    <Dialog open={open} title={`Keep ${part.name}'s rig as a kit`} onClose={onClose}>
      <div className="grid grid-cols-[7rem_1fr] items-baseline gap-y-3">
        <span className="text-pencil">Name</span>
        <TextField label="Name of the kit" value={name} onKeep={setName} className="border-rule" />
        <span className="text-pencil">For</span>
        <input
          value={use}
          onChange={(event) => setUse(event.target.value)}
          placeholder="rhythm, writing at night"
          aria-label="What the kit is for"
          className="border-b border-rule bg-transparent placeholder:text-pencil focus:border-ink focus:outline-none"
        />
        <span className="text-pencil">Words</span>
        <input
          value={words}
          onChange={(event) => setWords(event.target.value)}
          placeholder="bright, DI only"
          aria-label="Words, parted by commas"
          className="border-b border-rule bg-transparent placeholder:text-pencil focus:border-ink focus:outline-none"
        />
      </div>
      <div className="mt-6 flex gap-3">
        <Button main onClick={() => void keep()}>
          Keep it
        </Button>
        <Button onClick={onClose}>Not now</Button>
      </div>
    </Dialog>
  )
}
