import { useRef, useState } from 'react'
import { reportErrors } from '../../api/acts'
import { type FoundTone, type Part, answered, api } from '../../api/client'
import { notice } from '../../api/live'
import { queryClient } from '../../api/queries'
import { useOpenSession } from '../../desk/OpenSession'
import { useAddress } from '../../shell/useAddress'
import { useKeys } from '../../shell/useKeys'
import { Select } from '../../ui/Select'
import { count } from '../../ui/format'
import { benchQuery } from '../bench/queries'
import { useBenchActs } from '../bench/useBenchActs'
import { FigureBar } from './FigureBar'
import { INSTRUMENTS, type Instrument, type Order, useFound } from './useFound'
import { bringIn } from './bringIn'

const ORDERS: Order[] = [
  'name',
  'brighter',
  'darker',
  'cleaner',
  'more driven',
  'more low end',
  'softer',
  'harder',
  'quieter',
]
const ANY = 'any instrument'
const COLUMNS = 'grid-cols-[minmax(150px,1.2fr)_minmax(120px,1.6fr)_repeat(6,96px)_136px]'
const HEADS: [string, string][] = [
  ['bright', 'tilt over the riff, dB an octave'],
  ['low end', 'the octaves around 80 Hz, dB over the riff'],
  ['adds', 'partials added to a soft tone, dB'],
  ['answers', 'how much louder it gets when played 20 dB harder, dB'],
  ['noise', 'below the riff, dB'],
  ['tail', 'until it is 60 dB down, s'],
]

/** All tones: found by words, by instrument, by how they sound; each is laid on the bench or heard beside it. */
export function ToneList({ part }: { part: Part }) {
  const { session } = useOpenSession()
  const { shown, show } = useAddress()
  // What is typed stands in the field at once, and in the address as soon as that is written.
  const [typed, setTyped] = useState(shown.get('find') ?? '')
  const instrument = (shown.get('for') as Instrument | null) ?? undefined
  const order = (shown.get('order') as Order | null) ?? 'name'
  const like = shown.get('like') ?? undefined
  const between = shown.get('between') ?? undefined
  const than = shown.get('than') ?? undefined
  const { data, error } = useFound({ typed, instrument, order, like, between, than, played_on: riffOf(part) })
  const acts = useBenchActs(part.id)
  const [at, setAt] = useState(0)
  const search = useRef<HTMLInputElement>(null)
  const tones = data?.tones ?? []
  const chosen = tones[Math.min(at, tones.length - 1)]
  const named = (id: string | undefined) => tones.find((tone) => tone.id === id)?.name ?? 'a tone'

  function all() {
    setTyped('')
    show({ find: null, for: null, like: null, between: null, than: null })
  }
  const layOn = (tone: FoundTone) =>
    reportErrors(async () => {
      await acts.takeUp({ tone_revision_id: tone.id })
      show({ view: null })
    })
  const layBeside = (tone: FoundTone) =>
    reportErrors(async () => {
      const bench = await queryClient.ensureQueryData(benchQuery(part.id))
      const key = `revision:${tone.id}`
      if (!bench.beside.includes(key)) await acts.setBeside([...bench.beside.slice(-7), key])
      await answered(
        api.PUT('/api/parts/{part_id}/bench/heard', { params: { path: { part_id: part.id } }, body: { key } }),
      )
      notice(`${tone.name} is heard beside the tone on the bench`)
    })

  useKeys([
    { key: 'ArrowDown', does: 'next tone', act: () => setAt((now) => Math.min(tones.length - 1, now + 1)) },
    { key: 'ArrowUp', does: 'tone before', act: () => setAt((now) => Math.max(0, now - 1)) },
    { key: 'Enter', does: 'lay the tone on the bench', act: () => chosen && void layOn(chosen) },
    { key: 'h', does: 'hear it on the source of the bench', act: () => chosen && void layBeside(chosen) },
    { key: 'l', does: 'more like this', act: () => chosen && show({ like: chosen.id, between: null, than: null }) },
    { key: '/', does: 'find by words', act: () => search.current?.focus() },
    { key: 'Escape', does: 'all tones again', act: () => all() },
  ])

  return (
    <section aria-label="Tones" className="flex min-h-0 grow flex-col gap-2">
      <div className="flex items-baseline gap-x-4 text-[14px] whitespace-nowrap">
        <input
          ref={search}
          aria-label="Find by words"
          placeholder="find by words  /"
          value={typed}
          onChange={(event) => {
            setTyped(event.target.value)
            setAt(0)
            show({ find: event.target.value || null })
          }}
          onKeyDown={(event) => event.key === 'Escape' && event.currentTarget.blur()}
          className="w-52 border-b border-rule bg-transparent py-1 outline-none placeholder:text-pencil focus:border-ink"
        />
        <Select
          label="For which instrument"
          value={instrument ?? ANY}
          options={[ANY, ...INSTRUMENTS]}
          onChange={(next) => show({ for: next === ANY ? null : next })}
        />
        <span className="flex items-baseline gap-1.5 text-pencil">
          by
          <Select
            label="In which order"
            value={order}
            options={ORDERS}
            onChange={(next) => show({ order: next === 'name' ? null : next, like: null, between: null, than: null })}
          />
        </span>
        {like && (
          <span className="flex items-baseline gap-2">
            {between ? `between ${named(like)} and ${named(between)}` : `like ${named(like)}`}
            <button className="underline underline-offset-4" onClick={() => show({ like: null, between: null })}>
              all again
            </button>
          </span>
        )}
        {than && (
          <span className="flex items-baseline gap-2">
            than {named(than)}
            <button className="underline underline-offset-4" onClick={() => show({ than: null })}>
              all again
            </button>
          </span>
        )}
        <span className="ml-auto flex items-baseline gap-4 text-pencil">
          {data && data.measuring > 0 && <span role="status">measuring {count(data.measuring, 'tone')}…</span>}
          <label className="cursor-pointer text-ink underline underline-offset-4 focus-within:outline-2">
            Import
            <input
              type="file"
              multiple
              accept="application/json,.json"
              className="sr-only"
              onChange={(event) => {
                for (const file of event.target.files ?? []) void bringIn(file, session.id)
                event.target.value = ''
              }}
            />
          </label>
        </span>
      </div>
      {error && <p role="alert">{error.message}</p>}
      <div className={`grid ${COLUMNS} gap-x-3 border-b border-rule px-2 pb-1 text-[13px] text-pencil`}>
        <span>tone</span>
        <span>words</span>
        {HEADS.map(([head, title]) => (
          <span key={head} title={title}>
            {head}
          </span>
        ))}
        <span />
      </div>
      <ol className="min-h-0 grow overflow-y-auto" aria-label="Found tones">
        {tones.map((tone, index) => {
          const figures = tone.figures ?? undefined
          const on = tone.id === chosen?.id
          return (
            <li
              key={tone.id}
              aria-current={on}
              ref={(row) => {
                if (on) row?.scrollIntoView({ block: 'nearest' })
              }}
              onPointerDown={() => setAt(index)}
              className={`grid ${COLUMNS} items-center gap-x-3 border-b border-rule px-2 py-1 ${on ? 'bg-wash' : ''}`}
            >
              <button className="truncate text-left font-name text-[16px]" onClick={() => void layOn(tone)}>
                <b>{tone.name}</b> <span className="font-text text-[12.5px] text-pencil">r{tone.revision}</span>
              </button>
              <span className="truncate text-[13.5px] text-pencil" title={tone.use}>
                {[tone.instruments.join(', '), tone.use].filter(Boolean).join(' · ')}
              </span>
              <FigureBar value={figures?.tilt_db} from={-3} to={6} unit="dB an octave" name="bright" />
              <FigureBar value={figures?.low_end_db} from={-12} to={14} unit="dB" name="low end" />
              <FigureBar value={figures?.added_db} from={-60} to={0} unit="dB" digits={0} name="adds" />
              <FigureBar value={figures?.answers_db} from={0} to={22} unit="dB of 20" digits={0} name="answers" />
              <FigureBar value={figures?.quiet_db} from={40} to={110} unit="dB" digits={0} name="noise" />
              <FigureBar value={figures?.tail_s} from={0} to={4} unit="s" name="tail" />
              <span className={`flex justify-end gap-2.5 text-[13px] ${on ? '' : 'invisible'}`}>
                <button className="underline underline-offset-4" onClick={() => void layBeside(tone)}>
                  hear
                </button>
                <Select
                  label={`More about ${tone.name}`}
                  value="more"
                  options={[
                    'more',
                    'like this',
                    ...(like ? ['between'] : []),
                    'brighter',
                    'darker',
                    'more driven',
                    'cleaner',
                    'export',
                  ]}
                  said={(option) => (option === 'between' ? `between ${named(like)} and this` : option)}
                  onChange={(option) => {
                    if (option === 'like this') show({ like: tone.id, between: null, than: null })
                    else if (option === 'between') show({ between: tone.id })
                    else if (option === 'export') window.location.assign(`/api/tones/${tone.id}/document.json`)
                    else if (option !== 'more') show({ order: option, than: tone.id, like: null, between: null })
                  }}
                />
              </span>
            </li>
          )
        })}
        {data && tones.length === 0 && (
          <li className="px-2 py-5 text-pencil">
            No tone is so.{' '}
            <button className="text-ink underline underline-offset-4" onClick={all}>
              Show all
            </button>
          </li>
        )}
      </ol>
    </section>
  )
}

/** The kind of the part's instrument, on whose riff the figures are. */
function riffOf(part: Part): Instrument {
  const name = part.instrument
  return INSTRUMENTS.find((each) => each !== 'guitar' && name.includes(each)) ?? 'guitar'
}
