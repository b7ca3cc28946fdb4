import { Checkbox, Field, Label } from '@headlessui/react'
import { useQuery } from '@tanstack/react-query'
import { Check } from 'lucide-react'
import { useState } from 'react'
import { type Gathering, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshTakes } from '../api/queries'
import { FormDialog } from '../ui/FormDialog'
import { Glyph } from '../ui/Glyph'
import { Select } from '../ui/Select'
import { count } from '../ui/format'

type OfPart = Gathering['parts'][number]
type Channel = Gathering['channels'][number]

const keyOf = ({ kind, name }: Channel) => `${kind} ${name}`

/** Takes that lie in other parts become takes of this one; what their channels are here is proposed, and asked. */
export function GatherDialog({ part, onClose }: { part: { id: string; name: string }; onClose: () => void }) {
  const found = useQuery({
    queryKey: ['gathering', part.id],
    gcTime: 0,
    queryFn: () => answered(api.GET('/api/parts/{part_id}/gather', { params: { path: { part_id: part.id } } })),
  }).data
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  // What was said otherwise than proposed, by the part and its channel.
  const [said, setSaid] = useState<Record<string, Channel>>({})
  if (!found) return null

  const toOf = (of: OfPart, match: OfPart['channels'][number]) =>
    said[`${of.part_id} ${keyOf(match.channel)}`] ?? match.to
  const choose = (ids: string[], on: boolean) =>
    setChosen(new Set(on ? [...chosen, ...ids] : [...chosen].filter((id) => !ids.includes(id))))

  async function gather() {
    const body = {
      take_ids: [...chosen],
      parts: found!.parts.map((of) => ({
        part_id: of.part_id,
        channels: of.channels.map((match) => ({ channel: match.channel, to: toOf(of, match) })),
      })),
    }
    const { numbers } = await answered(
      api.POST('/api/parts/{part_id}/gather', { params: { path: { part_id: part.id } }, body }),
    )
    refreshTakes()
    for (const key of ['comp', 'sheet', 'history']) void queryClient.invalidateQueries({ queryKey: [key] })
    notice(`${count(numbers.length, 'take')} gathered: take ${numbers.join(', ')} of ${part.name}`)
  }

  return (
    <FormDialog
      open
      title={`Gather takes into ${part.name}`}
      main={chosen.size ? `Gather ${count(chosen.size, 'take')}` : 'Gather'}
      onClose={onClose}
      onKeep={gather}
    >
      <p className="mb-4 text-pencil">
        {found.parts.length
          ? `They leave their part and are numbered after the takes of ${part.name}. Undo brings them back.`
          : 'No other part of this song has a take.'}
      </p>
      {found.parts.map((of) => {
        const ids = of.takes.map((take) => take.id)
        return (
          <section key={of.part_id} aria-label={of.part_name} className="mb-4 border-t border-rule pt-3">
            <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
              <Tick
                label={of.part_name}
                strong
                on={ids.every((id) => chosen.has(id))}
                onChange={(on) => choose(ids, on)}
              />
              {of.takes.toReversed().map((take) => (
                <Tick
                  key={take.id}
                  label={`take ${take.number}`}
                  on={chosen.has(take.id)}
                  onChange={(on) => choose([take.id], on)}
                />
              ))}
            </div>
            <ul className="mt-2.5 flex flex-col gap-1.5">
              {of.channels.map((match) => {
                const options = [match.channel, ...found.channels.filter((one) => keyOf(one) !== keyOf(match.channel))]
                return (
                  <li
                    key={keyOf(match.channel)}
                    className="grid grid-cols-[16px_minmax(0,1fr)_3rem_minmax(0,12rem)] items-center gap-2.5 pl-7"
                  >
                    <Glyph kind={match.channel.kind} />
                    <span className="truncate">{match.channel.name}</span>
                    <span className="text-pencil">is here</span>
                    <Select
                      label={`What ${match.channel.name} of ${of.part_name} is here`}
                      value={keyOf(toOf(of, match))}
                      options={options.map(keyOf)}
                      said={(key) => options.find((one) => keyOf(one) === key)?.name ?? key}
                      onChange={(key) => {
                        const to = options.find((one) => keyOf(one) === key)
                        if (to) setSaid({ ...said, [`${of.part_id} ${keyOf(match.channel)}`]: to })
                      }}
                    />
                  </li>
                )
              })}
            </ul>
          </section>
        )
      })}
    </FormDialog>
  )
}

function Tick({
  label,
  on,
  strong = false,
  onChange,
}: {
  label: string
  on: boolean
  strong?: boolean
  onChange: (on: boolean) => void
}) {
  return (
    <Field className="flex items-center gap-2">
      <Checkbox
        checked={on}
        onChange={onChange}
        className="group grid size-[18px] shrink-0 place-items-center border border-ink bg-sheet data-checked:bg-ink"
      >
        <Check size={13} strokeWidth={3.5} className="hidden text-paper group-data-checked:block" />
      </Checkbox>
      <Label className={strong ? 'font-semibold' : ''}>{label}</Label>
    </Field>
  )
}
