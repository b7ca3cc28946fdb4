import { Checkbox, Field, Label, Radio, RadioGroup } from '@headlessui/react'
import { Check, Download } from 'lucide-react'
import { useMemo } from 'react'
import type { HandOverItem } from '../api/client'
import { useHandOverItems } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Glyph, INK } from '../ui/Glyph'
import { count, seconds } from '../ui/format'
import { Parcels } from './Parcels'
import { useForm } from './useForm'
import { useMakeParcels } from './useMakeParcels'

/** Files for whoever mixes: open formats, aligned, named, in one ZIP. */
export function HandOverStation() {
  const { session } = useOpenSession()
  const items = useHandOverItems(session.id)
  const [{ dropped: droppedKeys, kind, depth: chosenDepth, start }, change] = useForm(session.id)
  const dropped = useMemo(() => new Set(droppedKeys), [droppedKeys])
  // FLAC knows no floats: what was chosen for WAV stays chosen for WAV.
  const depth = kind === 'flac' && chosenDepth === '32f' ? '24' : chosenDepth
  const { parcels, make, stop } = useMakeParcels(session.id)
  const groups = useMemo(() => grouped(items.data ?? []), [items.data])

  if (items.isError)
    return (
      <p role="alert" className="p-8">
        {items.error.message}
      </p>
    )
  if (items.isPending)
    return (
      <p role="status" className="p-8 text-pencil">
        Looking what there is…
      </p>
    )
  if (items.data.length === 0)
    return <p className="p-8">There is nothing to hand over yet. Roll a take in Takes, or bring in a DI file there.</p>

  const chosen = items.data.filter((item) => !dropped.has(item.key))
  function toggle(keys: string[], on: boolean) {
    const next = new Set(dropped)
    for (const key of keys)
      if (on) next.delete(key)
      else next.add(key)
    change({ dropped: [...next] })
  }

  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_380px] gap-x-8 px-6 pb-4">
      <section aria-label="What is handed over" className="flex min-h-0 flex-col">
        <div className="flex items-baseline gap-5 pt-1 pb-2">
          <h2 className="text-[22px] leading-tight">Files</h2>
          <p className="text-[13.5px] text-pencil">what is marked goes along; each on its place in the song</p>
          <button
            className="ml-auto text-[13.5px] underline underline-offset-4"
            onClick={() => change({ dropped: chosen.length ? items.data.map((item) => item.key) : [] })}
          >
            {chosen.length ? 'Mark none' : 'Mark all'}
          </button>
        </div>
        <div className="min-h-0 grow overflow-y-auto border-t border-rule">
          {groups.map((group) => {
            const keys = group.map((item) => item.key)
            return (
              <div
                key={group[0]!.group_id}
                className="grid grid-cols-[minmax(0,1fr)_300px] border-b border-rule py-1.5"
              >
                <ul>
                  {group.map((item) => (
                    <li key={item.key}>
                      <Field className="flex items-center gap-2.5 py-[3px]">
                        <Checkbox
                          checked={!dropped.has(item.key)}
                          onChange={(on) => toggle([item.key], on)}
                          className="group grid size-[18px] shrink-0 place-items-center border border-ink bg-sheet data-checked:bg-ink"
                        >
                          <Check size={13} strokeWidth={3.5} className="hidden text-paper group-data-checked:block" />
                        </Checkbox>
                        <Glyph kind={item.kind} />
                        <Label className="truncate">{item.name}</Label>
                      </Field>
                    </li>
                  ))}
                </ul>
                <button
                  className="text-left"
                  onClick={() =>
                    toggle(
                      keys,
                      keys.some((key) => dropped.has(key)),
                    )
                  }
                  aria-label={`All of ${group[0]!.group}, bars ${group[0]!.first_bar} to ${group[0]!.last_bar}`}
                >
                  <Place items={group} lastBar={session.last_bar} dropped={dropped} />
                </button>
              </div>
            )
          })}
        </div>
      </section>

      <aside className="flex min-h-0 flex-col overflow-y-auto border border-rule bg-sheet px-6 py-4">
        <Choice
          label="File"
          value={kind}
          onChange={(value) => change({ kind: value })}
          options={[
            ['wav', 'Broadcast WAV', 'name, date, time stamp inside'],
            ['flac', 'FLAC', 'half the size, no loss'],
          ]}
        />
        <Choice
          label="Depth"
          value={depth}
          onChange={(value) => change({ depth: value })}
          options={
            kind === 'wav'
              ? [
                  ['24', '24 bit', 'as recorded'],
                  ['16', '16 bit', 'with dither'],
                  ['32f', '32 bit float', 'for a receiver who asks for it'],
                ]
              : [
                  ['24', '24 bit', 'as recorded'],
                  ['16', '16 bit', 'with dither'],
                ]
          }
        />
        <Choice
          label="Place"
          value={start}
          onChange={(value) => change({ start: value })}
          options={[
            ['song', 'All from zero', 'equally long: they line up at zero'],
            ['own', 'As recorded', 'short files, placed by their time stamp'],
          ]}
        />
        <div className="mt-auto border-t border-rule pt-3">
          <Parcels parcels={parcels} onStop={(parcel) => void stop(parcel)} />
          <p className="mb-3 text-[13.5px] text-pencil">
            {count(chosen.length, 'file')} of {session.rate_hz / 1000} kHz, mono,{' '}
            {seconds(chosen.reduce((sum, item) => sum + item.seconds, 0))} of sound, and a page that says what they are.
          </p>
          <button
            disabled={chosen.length === 0}
            onClick={() => void make({ items: chosen.map((item) => item.key), kind, depth, start })}
            className={`flex w-full items-center justify-center gap-2.5 rounded-full px-6 py-3 text-[16px] font-semibold ${
              chosen.length ? 'bg-roll text-white' : 'bg-wash text-pencil'
            }`}
          >
            <Download size={18} />
            {chosen.length ? `Hand over ${count(chosen.length, 'file')}` : 'Mark a file to hand it over'}
          </button>
        </div>
      </aside>
    </div>
  )
}

function grouped(items: HandOverItem[]): HandOverItem[][] {
  const groups = new Map<string, HandOverItem[]>()
  for (const item of items) groups.set(item.group_id, [...(groups.get(item.group_id) ?? []), item])
  return [...groups.values()]
}

/** Where on the song the files of a take lie, each drawn in its colour and weight. */
function Place({ items, lastBar, dropped }: { items: HandOverItem[]; lastBar: number; dropped: Set<string> }) {
  const at = (bar: number) => 4 + ((bar - 1) / lastBar) * 288
  // The bars in figures stand beside the drawn ones, on the side that has room.
  const late = items[0]!.last_bar + 1 > 0.8 * lastBar
  const told = !late || items[0]!.first_bar > 0.3 * lastBar
  return (
    <svg width="300" height={items.length * 26 + 2} aria-hidden>
      {items.map((item, index) => {
        const y = index * 26 + 13
        return (
          <g key={item.key} opacity={dropped.has(item.key) ? 0.25 : 1}>
            <path
              d={`M4 ${y} H292`}
              stroke="var(--rule)"
              strokeDasharray="1 5"
              strokeLinecap="round"
              strokeWidth="1.5"
            />
            <path
              d={`M${at(item.first_bar)} ${y} H${at(item.last_bar + 1)}`}
              stroke={INK[item.kind]}
              strokeWidth={item.kind === 'di' ? 3 : 8}
            />
            {item.kind === 'sim' && (
              <path
                d={`M${at(item.first_bar)} ${y} H${at(item.last_bar + 1)}`}
                stroke="var(--paper)"
                strokeWidth="2.5"
              />
            )}
          </g>
        )
      })}
      <text
        x={late ? at(items[0]!.first_bar) - 6 : at(items[0]!.last_bar + 1) + 6}
        y="10"
        fontSize="11.5"
        textAnchor={late ? 'end' : 'start'}
        fill="var(--pencil)"
      >
        {told && `bars ${items[0]!.first_bar} to ${items[0]!.last_bar}`}
      </text>
    </svg>
  )
}

function Choice<Value extends string>({
  label,
  value,
  onChange,
  options,
}: {
  label: string
  value: Value
  onChange: (value: Value) => void
  options: [Value, string, string][]
}) {
  return (
    <RadioGroup value={value} onChange={onChange} aria-label={label} className="mb-5">
      <h3 className="mb-1.5 text-[16px]">{label}</h3>
      <div className="flex flex-col gap-1">
        {options.map(([key, name, detail]) => (
          <Radio key={key} value={key} className="group flex cursor-pointer items-baseline gap-2.5 py-0.5">
            <span className="relative top-[3px] grid size-[16px] shrink-0 place-items-center rounded-full border border-ink">
              <span className="hidden size-2.5 rounded-full bg-ink group-data-checked:block" />
            </span>
            <span>
              <span className="group-data-checked:font-semibold">{name}</span>{' '}
              <span className="text-[13px] text-pencil">{detail}</span>
            </span>
          </Radio>
        ))}
      </div>
    </RadioGroup>
  )
}
