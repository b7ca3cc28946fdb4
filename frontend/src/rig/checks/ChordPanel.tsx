import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { type Part, answered, api } from '../../api/client'
import { notice } from '../../api/live'
import { queryClient } from '../../api/queries'
import { Button } from '../../ui/Button'
import { Slider } from '../../ui/Slider'
import { figure } from '../../ui/format'
import type { CheckPanelProps } from './panelProps'

/** Chords in equal temperament and re-tuned: what is how far from pure, how fast it beats, and the best compromise. */
export function ChordPanel({ part, acts, view }: CheckPanelProps) {
  const notes = view.open_notes
  const offsets = view.rig.string_offsets_cents ?? []
  const [tried, setTried] = useState<number[] | null>(null)
  const [alone, setAlone] = useState<number[]>([])
  const [chosen, setChosen] = useState(0)
  const now = tried ?? (offsets.length ? offsets : notes.map(() => 0))
  const asked = useQuery({
    queryKey: ['chords', part.id, part.chords, now, alone],
    enabled: part.chords.length > 0,
    placeholderData: (previous) => previous,
    retry: false,
    queryFn: () =>
      answered(
        api.POST('/api/parts/{part_id}/chords/check', {
          params: { path: { part_id: part.id } },
          body: { offsets_cents: now, left_alone: alone },
        }),
      ),
  })
  const found = asked.data
  const shape = found?.shapes[Math.min(chosen, found.shapes.length - 1)]

  return (
    <section aria-label="Chords" className="flex min-h-0 grow flex-col overflow-y-auto border-t border-rule pt-3">
      <div className="flex items-center gap-5">
        <div className="min-w-0">
          <h2 className="text-[20px] leading-tight">Chords</h2>
          <p className="text-[14px] text-pencil">
            A guitar in tune still clashes: equal thirds are 13.7 cents too wide. Move strings for these chords.
          </p>
        </div>
        {found && (
          <div className="ml-auto flex shrink-0 gap-2">
            <Button onClick={() => setTried(found.compromise_cents)}>Best compromise</Button>
            <Button
              main
              disabled={asked.isFetching}
              onClick={() => void acts.retune(now.some((cents) => cents !== 0) ? now : [])}
            >
              Give it to the tuner
            </Button>
          </div>
        )}
      </div>
      <ChordList
        part={part}
        strings={notes.length}
        chosen={chosen}
        onChoose={setChosen}
        clashes={found?.shapes.map((entry) => entry.clash_cents) ?? []}
      />
      {found && shape && (
        <div className="mt-2 grid grid-cols-[minmax(0,360px)_minmax(0,1fr)] gap-x-8">
          <div>
            <p className="mb-1 text-[14px]">
              From pure on average <b>{figure(found.clash_cents)}</b> cents; best possible{' '}
              <b>{figure(found.compromise_clash_cents)}</b>
            </p>
            {notes.map((note, string) => (
              <div key={string} className="flex items-center gap-2">
                <Slider
                  label={note}
                  value={now[string] ?? 0}
                  from={-25}
                  to={25}
                  step={0.1}
                  digits={1}
                  unit="ct"
                  onChange={(cents) => setTried(now.map((entry, index) => (index === string ? cents : entry)))}
                />
                <label className="flex items-center gap-1 text-[12.5px] text-pencil">
                  <input
                    type="checkbox"
                    className="size-3.5 accent-(--ink)"
                    checked={alone.includes(string)}
                    onChange={(event) =>
                      setAlone(event.target.checked ? [...alone, string] : alone.filter((entry) => entry !== string))
                    }
                  />
                  leave
                </label>
              </div>
            ))}
          </div>
          <table className="h-fit w-full text-[14px]">
            <thead>
              <tr className="border-b border-rule text-left text-[13px] text-pencil">
                <th className="py-1 font-normal">{shape.name}: strings</th>
                <th className="font-normal">interval</th>
                <th className="text-right font-normal">from pure</th>
                <th className="text-right font-normal">beats</th>
              </tr>
            </thead>
            <tbody>
              {shape.intervals
                .filter((interval) => interval.weight > 0.5)
                .slice(0, 9)
                .map((interval) => (
                  <tr key={`${interval.low_string}-${interval.high_string}`} className="border-b border-rule">
                    <td className="py-px">
                      {interval.low_note} to {interval.high_note}
                    </td>
                    <td className="text-pencil">
                      {interval.name}, {interval.ratio}
                    </td>
                    <td
                      className={`text-right ${Math.abs(interval.cents_from_pure) > 8 ? 'font-semibold text-mic' : ''}`}
                    >
                      {interval.cents_from_pure > 0 ? '+' : ''}
                      {figure(interval.cents_from_pure)} ct
                    </td>
                    <td className="text-right">{interval.beats_hz.toFixed(1)} Hz</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </div>
      )}
      {asked.isError && (
        <p role="alert" className="mt-3 text-mic first-letter:uppercase">
          ! {asked.error.message}.
        </p>
      )}
    </section>
  )
}

function ChordList({
  part,
  strings,
  chosen,
  onChoose,
  clashes,
}: {
  part: Part
  strings: number
  chosen: number
  onChoose: (index: number) => void
  clashes: number[]
}) {
  const [typed, setTyped] = useState('')

  async function put(chords: { name: string; frets: string }[]) {
    try {
      await answered(
        api.PUT('/api/parts/{part_id}/chords', { params: { path: { part_id: part.id } }, body: { chords } }),
      )
      setTyped('')
      await queryClient.invalidateQueries({ queryKey: ['session'] })
      await queryClient.invalidateQueries({ queryKey: ['checks'] })
    } catch (error) {
      notice((error as Error).message)
    }
  }
  const kept = part.chords.map((chord) => ({
    name: chord.name,
    frets: chord.frets.map((fret) => fret ?? 'x').join('-'),
  }))

  return (
    <div className="mt-2 flex flex-wrap items-center gap-2">
      {part.chords.map((chord, index) => (
        <span
          key={chord.name}
          className={`flex items-center border ${chosen === index ? 'border-2 border-ink bg-sheet' : 'border-rule'}`}
        >
          <button
            onClick={() => onChoose(index)}
            aria-pressed={chosen === index}
            className="px-2.5 py-1 text-left leading-tight"
          >
            <span className="font-name font-semibold">{chord.name}</span>
            <span className="ml-2 text-[13px] text-pencil">
              {clashes[index] === undefined ? kept[index]!.frets : `${figure(clashes[index])} ct`}
            </span>
          </button>
          <button
            aria-label={`Remove ${chord.name}`}
            className="px-1.5 text-pencil"
            onClick={() => void put(kept.filter((_, at) => at !== index))}
          >
            ×
          </button>
        </span>
      ))}
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault()
          const [first = '', ...rest] = typed.trim().split(/\s+/)
          // "Am x02210", or the frets alone.
          void put([...kept, rest.length ? { name: first, frets: rest.join(' ') } : { name: first, frets: first }])
        }}
      >
        <input
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          aria-label="A chord to add: its name and frets"
          placeholder={`add: Am ${'x02210'.slice(0, strings) || 'x0'}`}
          className="w-36 border-b border-rule bg-transparent px-1 text-[14px] placeholder:text-pencil focus:border-ink focus:outline-none"
        />
      </form>
    </div>
  )
}
