import type { Take } from '../api/client'
import { useTones } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Select } from '../ui/Select'
import type { HeardAs } from './compared'
import type { SideBySide } from './useSideBySide'

const LOUDEST_MIC = 'as recorded'

/** What runs side by side: the takes by their number keys, and as what all of them are heard. */
export function SideBySideBar({ rows, sideBySide }: { rows: Take[]; sideBySide: SideBySide }) {
  const { beside, heard, hear, setAs, close, waiting } = sideBySide
  const { part } = useOpenSession()
  const tones = useTones().data ?? []
  if (!beside) return null
  const taken = rows.filter((row) => beside.ids.includes(row.id))
  const channels = [...new Set(taken.flatMap((take) => take.channels.map((channel) => channel.name)))]
  const withDi = taken.length > 0 && taken.every((take) => take.channels.some((channel) => channel.kind === 'di'))
  const options = [
    LOUDEST_MIC,
    ...channels.map((name) => `channel ${name}`),
    ...(withDi ? tones.map((tone) => `tone ${tone.id}`) : []),
  ]
  const chosen = toOption(beside.as, taken)
  const said = (option: string) =>
    option === LOUDEST_MIC
      ? 'their first mic'
      : option.startsWith('channel ')
        ? option.slice(8)
        : `DI through ${tones.find((tone) => tone.id === option.slice(5))?.name ?? 'a tone'}`
  const sound = beside.compared.sounds.find((entry) => entry.take_id === heard)
  const other = sound && chosen.startsWith('channel ') && sound.channel !== chosen.slice(8) ? sound.channel : null

  return (
    <div
      role="group"
      aria-label="Takes side by side"
      className="flex items-center gap-x-4 px-2.5 pb-1.5 whitespace-nowrap"
    >
      <h2 className="text-[18px]">
        Bars {beside.phrase.first_bar} to {beside.phrase.first_bar + beside.phrase.bars - 1}, side by side
      </h2>
      <div className="flex min-w-0 gap-1 overflow-x-auto py-0.5">
        {beside.ids.map((id, index) => {
          const on = heard === id
          return (
            <button
              key={id}
              onClick={() => hear(id)}
              aria-pressed={on}
              aria-label={`Hear take ${rows.find((row) => row.id === id)?.number} of ${part?.name} here`}
              className={`flex items-center gap-1.5 border px-1.5 py-0.5 text-[13.5px] ${on ? 'border-ink bg-ink font-bold text-paper' : 'border-rule hover:border-ink'}`}
            >
              <kbd className="font-text font-bold">{index + 1}</kbd> take {rows.find((row) => row.id === id)?.number}
            </button>
          )
        })}
      </div>
      <div className="flex items-center gap-1.5 text-[13px] text-pencil">
        heard as
        <Select
          label="Heard as"
          value={chosen}
          options={options}
          said={said}
          onChange={(option) =>
            setAs(
              option === LOUDEST_MIC
                ? null
                : option.startsWith('channel ')
                  ? { channel: option.slice(8) }
                  : { tone: option.slice(5) },
            )
          }
        />
      </div>
      <p role="status" className="truncate text-[13px] text-pencil">
        {waiting ? 'preparing…' : other ? `this one has no ${said(chosen)}: ${other}` : 'at equal loudness'}
      </p>
      <button onClick={close} className="ml-auto text-[13px] text-pencil underline underline-offset-4 hover:text-ink">
        Esc leaves
      </button>
    </div>
  )
}

function toOption(as: HeardAs, takes: Take[]): string {
  if (!as) return LOUDEST_MIC
  if ('tone' in as) return `tone ${as.tone}`
  // The key D asks for a kind; the list tells the channel's name.
  const named = takes[0]?.channels.find((channel) => channel.kind === as.channel || channel.name === as.channel)
  return `channel ${named?.name ?? as.channel}`
}
