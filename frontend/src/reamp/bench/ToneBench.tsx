import { useCallback, useEffect, useState } from 'react'
import type { Bench, Part } from '../../api/client'
import { notice } from '../../api/live'
import { useTones } from '../../api/queries'
import { useBlindTest } from '../../blind/useBlindTest'
import { useChoice } from '../../desk/Choice'
import { useStationActs } from '../../desk/DeckActs'
import { useRolling } from '../../desk/Rolling'
import { useAddress } from '../../shell/useAddress'
import { type KeyAct, useKeys } from '../../shell/useKeys'
import { Button } from '../../ui/Button'
import { ToneSelect } from '../ToneSelect'
import { Select } from '../../ui/Select'
import { clock, count } from '../../ui/format'
import { AddBlock } from './AddBlock'
import { BenchHead } from './BenchHead'
import { BlindDialog, BlindTones } from './BlindTones'
import { KeepDialog } from './KeepDialog'
import { LoopWave } from './LoopWave'
import { SoundsRow } from './SoundsRow'
import { SpectrumApart } from './SpectrumApart'
import { StripRow } from './StripRow'
import { useBenchCurves, useBenchQuery, useBlockKinds, useMeasured, useRevisions } from './queries'
import { useBenchActs } from './useBenchActs'
import { useBenchSound } from './useBenchSound'
import { useStripActs } from './useStripActs'

/** A tone is worked out: a dry source goes round and round through it, and every turn is heard. */
export function ToneBench({ part }: { part: Part }) {
  const found = useBenchQuery(part.id)
  if (found.isError)
    return (
      <p role="alert" className="m-6 border border-dashed border-faint px-6 py-5 first-letter:uppercase">
        {found.error.message}.
      </p>
    )
  if (!found.data)
    return (
      <p role="status" className="p-8 text-pencil">
        Loading the bench…
      </p>
    )
  return <Laid bench={found.data} />
}

function Laid({ bench }: { bench: Bench }) {
  const { setHeardBeside } = useChoice()
  const { rollOrStop, binAndRoll } = useRolling()
  const { shown, show } = useAddress()
  const acts = useBenchActs(bench.part_id)
  const sound = useBenchSound(bench)
  const curves = useBenchCurves(bench).data
  const measured = useMeasured(bench).data
  const kinds = useBlockKinds().data ?? []
  const tones = useTones().data ?? []
  const revisions = useRevisions(bench.kept_tone_id).data ?? []
  const strips = useStripActs(bench, acts.edit)
  // Where a block is to be added, while its kind is chosen.
  const [adding, setAdding] = useState<number[] | null>(null)
  const [keeping, setKeeping] = useState(false)
  const against =
    bench.sounds.find((each) => each.key === shown.get('against') && each.key !== 'tone') ??
    bench.sounds.find((each) => each.kind === 'mic') ??
    bench.sounds.find((each) => each.key !== 'tone')
  const told = measured?.sounds.find((each) => each.key === against?.key)
  const heard = bench.sounds.find((each) => each.key === bench.heard)

  const blind = useBlindTest(bench.part_id, 'tone')
  const inTest = shown.get('blind') !== null && blind.test !== null
  const openBlind = () => (measured ? show({ choosing: 'blind' }) : notice('how loud the sounds are is still measured'))

  useEffect(() => {
    if (!sound.sounds || !heard) return
    if (inTest) setHeardBeside({ name: 'one of the letters', detail: 'blind' })
    else setHeardBeside({ name: heard.name, detail: heard.kind === 'tone' ? 'as it is turned' : 'on the bench' })
    return () => setHeardBeside(null)
  }, [sound.sounds, heard?.name, heard?.kind, setHeardBeside, heard, inTest])

  const { playOrStop, sounds } = sound
  const roll = useCallback(() => rollOrStop(), [rollOrStop])
  useStationActs({ record: 'Roll', roll, binAndRoll, playOrStop, sounds })

  const onChosen = () => strips.of(strips.now().block)
  function hear(key: string) {
    if (key !== 'tone') show({ against: key })
    void sound.hear(key)
  }

  const keys: KeyAct[] = [
    {
      key: 'ArrowRight',
      does: 'next block; with Shift move this one on',
      act: ({ shiftKey }) => (shiftKey ? onChosen().move(1) : strips.goTo(1)),
    },
    {
      key: 'ArrowLeft',
      does: 'block before; with Shift move this one there',
      act: ({ shiftKey }) => (shiftKey ? onChosen().move(-1) : strips.goTo(-1)),
    },
    {
      key: 'ArrowDown',
      does: 'next value of the block',
      act: () => strips.goToValue(1),
    },
    { key: 'ArrowUp', does: 'value before', act: () => strips.goToValue(-1) },
    { key: ',', does: 'turn it down', act: () => strips.turnChosen(-1) },
    { key: '.', does: 'turn it up', act: () => strips.turnChosen(1) },
    { key: '<', does: 'turn it far down', act: () => strips.turnChosen(-10) },
    { key: '>', does: 'turn it far up', act: () => strips.turnChosen(10) },
    {
      key: 'b',
      does: 'bypass the block, or let it in again',
      act: () => onChosen().bypass(),
    },
    { key: 'n', does: 'add a block behind it', act: () => setAdding(strips.behind()) },
    { key: 'c', does: 'copy the block', act: () => onChosen().copy() },
    { key: 'Delete', does: 'remove the block', act: () => onChosen().remove() },
    {
      key: 'q',
      does: 'put the tone aside as A; with Shift take A up again',
      act: ({ shiftKey }) => void (shiftKey ? acts.takeUp({ aside: 'A' }) : acts.putAside('A')),
    },
    {
      key: 'w',
      does: 'put the tone aside as B; with Shift take B up again',
      act: ({ shiftKey }) => void (shiftKey ? acts.takeUp({ aside: 'B' }) : acts.putAside('B')),
    },
    {
      key: 'e',
      does: 'match its balance to what is drawn; with Shift its drive',
      act: ({ shiftKey }) => against && void acts.match(against.key, shiftKey ? 'drive' : 'balance'),
    },
    { key: 'l', does: 'listen blind', act: openBlind },
    { key: 'k', does: 'keep the tone', act: () => setKeeping(true) },
    {
      key: 'd',
      does: 'hear it dry, and the tone again',
      act: () => hear(strips.now().there.heard === 'dry' ? 'tone' : 'dry'),
    },
    ...bench.sounds.slice(0, 9).map((each, index) => ({
      key: String(index + 1),
      does: `hear ${each.name}`,
      act: () => hear(each.key),
    })),
  ]
  // Nothing is turned while it is listened to blind.
  useKeys(inTest ? [] : keys)

  if (inTest) return <BlindTones bench={bench} blind={blind} sound={sound} onLeave={() => show({ blind: null })} />
  const others = tones.filter((tone) => tone.id !== bench.kept_revision_id)
  return (
    <section aria-label="Bench" className="flex min-h-0 grow flex-col gap-2">
      <BenchHead
        bench={bench}
        onSource={(id) => void acts.setSource(id, null, null)}
        onBars={(from, to) => void acts.setSource(bench.material_id, from, to)}
        onVoltage={(volts) => void acts.setVoltage(volts)}
      />
      <LoopWave bench={bench} measured={measured} />
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(260px,380px)] gap-5">
        <div className="min-w-0">
          <SoundsRow
            bench={bench}
            measured={measured}
            against={against?.key ?? ''}
            onHear={hear}
            onRemove={(key) => void acts.setBeside(bench.beside.filter((each) => each !== key))}
          />
          <p className="mt-1.5 flex items-baseline gap-1.5 text-[13.5px] text-pencil">
            compare with
            <ToneSelect
              label="Compare with"
              tones={others}
              onChoose={(id) => void acts.setBeside([...bench.beside, `revision:${id}`])}
            />
            or
            <label className="cursor-pointer text-ink underline underline-offset-4 focus-within:outline-2">
              a file
              <input
                type="file"
                aria-label="Sound file to compare with"
                accept="audio/*,.wav,.flac,.aif,.aiff,.w64,.caf"
                className="sr-only"
                onChange={(event) => {
                  const file = event.target.files?.[0]
                  event.target.value = ''
                  if (file) void acts.bringReference(file)
                }}
              />
            </label>
            <span aria-hidden>·</span>
            <button className="text-ink underline underline-offset-4" onClick={openBlind}>
              listen blind
            </button>
            <kbd className="font-text">L</kbd>
          </p>
        </div>
        {against && (
          <SpectrumApart
            bandsHz={measured?.bands_hz ?? []}
            thirdsDb={told?.thirds_db ?? []}
            against={against.name}
            apartDb={told?.apart_db}
            onMatch={(what) => void acts.match(against.key, what)}
          />
        )}
      </div>
      <header className="flex items-baseline gap-4 whitespace-nowrap">
        <h2 className="text-[22px] leading-tight">{bench.tone_name}</h2>
        <span className="flex min-w-0 items-baseline gap-1.5 text-[13.5px] text-pencil">
          {bench.kept_revision_id && revisions.length > 0 ? (
            <Select
              label="Revision"
              value={bench.kept_revision_id}
              options={revisions.map((each) => each.id)}
              said={(id) => `revision ${revisions.find((each) => each.id === id)?.revision ?? ''}`}
              detail={(id) => {
                const each = revisions.find((one) => one.id === id)
                return each ? `${clock(each.made_at)} · ${count(each.prints, 'print')}` : ''
              }}
              onChange={(id) => void acts.takeUp({ tone_revision_id: id })}
            />
          ) : (
            'not kept yet'
          )}
          {bench.changed && bench.kept_revision && <span>turned since</span>}
          {bench.use && <span className="min-w-0 truncate">· {bench.use}</span>}
        </span>
        <span className="flex items-baseline gap-1.5 text-[13.5px] text-pencil">
          <ToneSelect
            label="Take up another tone"
            tones={tones}
            onChoose={(id) => void acts.takeUp({ tone_revision_id: id })}
          />
        </span>
        <span className="flex items-baseline gap-1.5 text-[13.5px] text-pencil">
          oversampling
          <Select
            label="Oversampling"
            value={bench.oversample}
            options={[1, 2, 4, 8]}
            said={(factor) => `${factor}×`}
            onChange={(factor) => void acts.edit({ do: 'oversample', factor: factor as 1 | 2 | 4 | 8 })}
          />
        </span>
        <span className="ml-auto flex items-center gap-2 self-center">
          <Button onClick={() => setAdding(strips.behind())}>
            Add a block <kbd className="font-text text-pencil">N</kbd>
          </Button>
          <Button
            main={bench.changed}
            onClick={() => (bench.changed ? setKeeping(true) : notice('it is kept as it is'))}
          >
            Keep <kbd className="font-text">K</kbd>
          </Button>
        </span>
      </header>
      <StripRow bench={bench} curves={curves} strips={strips} onAddAt={setAdding} />
      {adding && (
        <AddBlock
          kinds={kinds}
          onAdd={(kind) => {
            void acts.edit({ do: 'add', kind, at: adding })
            strips.choose(adding)
          }}
          onClose={() => setAdding(null)}
        />
      )}
      {shown.get('choosing') === 'blind' && (
        <BlindDialog
          bench={bench}
          onBegin={async (keys) => {
            await blind.start(keys)
            show({ choosing: null, blind: 'yes' })
          }}
          onClose={() => show({ choosing: null })}
        />
      )}
      {keeping && <KeepDialog bench={bench} open onKeep={acts.keep} onClose={() => setKeeping(false)} />}
    </section>
  )
}
