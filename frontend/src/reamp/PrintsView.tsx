import { useMemo, useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Print, type Tone, answered, api } from '../api/client'
import { notice } from '../api/live'
import { refreshPrints, usePrintSources, usePrints, useTones } from '../api/queries'
import { useChoice, usePlayer } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useAddress } from '../shell/useAddress'
import { useKeys } from '../shell/useKeys'
import { soundOf } from '../sound/player'
import { PrintHead } from './PrintHead'
import { PrintTable } from './PrintTable'
import { ToneSelect } from './ToneSelect'
import { ToneStrip } from './ToneStrip'
import { useBenchQuery } from './bench/queries'
import { type DrySource, drySources } from './printSources'
import { type Cell, sameCell, usePrintPlan } from './usePrintPlan'

/** The dry takes and comps through tones, printed, against the miked amp at equal loudness. */
export function PrintsView() {
  const { session, part, takes } = useOpenSession()
  const { take, chooseTake, comparison, hear, player } = useChoice()
  const playing = usePlayer()
  const tones = useTones()
  const prints = usePrints(session.id)
  const comps = usePrintSources(session.id).data
  const { shown, show } = useAddress()
  const bench = useBenchQuery(part?.id).data
  const plan = usePrintPlan(session.id)
  const [heardComp, setHeardComp] = useState<string | null>(null)
  const all = useMemo(() => prints.data ?? [], [prints.data])

  // Columns: what was printed through, what lies on the bench, and what was added by hand; each as it was kept last.
  const printed = new Set(all.map((print) => print.tone_id))
  const wanted = (tone: Tone) =>
    printed.has(tone.tone_id) || plan.plan.tones.includes(tone.id) || tone.id === bench?.kept_revision_id
  const columns = (tones.data ?? []).filter(wanted)
  const chosenTone = columns.find((entry) => entry.id === shown.get('tone')) ?? columns[0]
  const sources = useMemo(
    () => drySources(comps ?? [], takes, session.parts, session.rate_hz),
    [comps, takes, session.parts, session.rate_hz],
  )
  const sourceId = sources.find((each) => each.id === shown.get('source') && !each.take)?.id ?? take?.id

  const chooseSource = (id: string) => {
    const source = sources.find((each) => each.id === id)
    show({ source: source?.take ? null : id })
    if (source?.take) chooseTake(id)
  }

  // Of several with other settings, or of older revisions, what runs, else the one asked for last.
  const newest = useMemo(() => {
    const found = new Map<string, Print>()
    for (const print of all) {
      const key = `${print.material_id} ${print.tone_id}`
      const before = found.get(key)
      const runs = before && (before.state === 'waiting' || before.state === 'rendering')
      if (!runs) found.set(key, print)
    }
    return found
  }, [all])
  const printOf = (source: DrySource, tone: Tone) => newest.get(`${source.id} ${tone.tone_id}`)

  const ask = (cells: Cell[]) =>
    reportErrors(async () => {
      const told = await answered(api.POST('/api/print-batches', { body: { cells, settings: plan.plan.settings } }))
      if (told.refused.length) notice(told.refused.join('; '))
      else if (!told.asked) notice('these are printed already, with these settings')
      plan.unmark(cells)
      refreshPrints()
    })

  const stop = (print_id: string) =>
    reportErrors(async () => {
      await answered(api.DELETE('/api/prints/{print_id}/rendering', { params: { path: { print_id } } }))
      refreshPrints()
    })

  const hearComp = (print: Print) =>
    reportErrors(async () => {
      if (playing.playing && heardComp === print.id) return player.stop()
      const { sound, right } = await answered(
        api.GET('/api/prints/{print_id}/sound', { params: { path: { print_id: print.id } } }),
      )
      setHeardComp(print.id)
      await player.play([soundOf(print.id, sound, right, 0)], print.id, sound.from_frame, null)
    })

  const step = (by: number) => {
    const at = columns.findIndex((tone) => tone.id === chosenTone?.id)
    const next = columns[Math.min(columns.length - 1, Math.max(0, at + by))]
    if (next) show({ tone: next.id })
  }
  const down = (by: number) => {
    const at = sources.findIndex((source) => source.id === sourceId)
    const next = sources[Math.min(sources.length - 1, Math.max(0, at + by))]
    if (next) chooseSource(next.id)
  }
  const here = sourceId && chosenTone ? { material_id: sourceId, tone_revision_id: chosenTone.id } : null
  useKeys([
    { key: 'ArrowDown', does: 'the source below', act: () => down(1) },
    { key: 'ArrowUp', does: 'the source above', act: () => down(-1) },
    { key: 'ArrowRight', does: 'the next tone', act: () => step(1) },
    { key: 'ArrowLeft', does: 'the tone before', act: () => step(-1) },
    { key: 'x', does: 'mark for the next batch', act: () => here && plan.toggle([here]) },
    {
      key: 'Enter',
      does: 'print what is marked, or the chosen source through the chosen tone',
      act: () => (plan.plan.marked.length ? void ask(plan.plan.marked) : here && void ask([here])),
    },
  ])

  if (tones.isError || prints.isError)
    return (
      <p role="alert" className="p-8">
        {(tones.error ?? prints.error)!.message}
      </p>
    )
  if (!tones.data || !prints.data)
    return (
      <p role="status" className="p-8 text-pencil">
        Loading tones…
      </p>
    )

  const others = tones.data.filter((tone) => !columns.includes(tone))
  return (
    <div className="flex min-h-0 grow flex-col">
      <PrintHead
        session={session}
        part={part}
        miked={takes.some(
          (each) => each.part_id === part?.id && each.channels.some((channel) => channel.kind === 'mic'),
        )}
        plan={plan}
        tones={columns}
        busy={all.some((print) => print.state === 'waiting' || print.state === 'rendering')}
        onPrint={() => void ask(plan.plan.marked)}
      />
      <PrintTable
        addTone={
          <ToneSelect
            label="Add a tone"
            word="add a tone"
            tones={others}
            onChoose={(id) => {
              plan.addTone(id)
              show({ tone: id })
            }}
          />
        }
        sources={sources}
        tones={columns}
        printOf={printOf}
        marked={(cell) => plan.plan.marked.some((each) => sameCell(each, cell))}
        onMark={plan.toggle}
        sourceId={sourceId}
        onSource={chooseSource}
        toneId={chosenTone?.id}
        onTone={(id) => show({ tone: id })}
        onAsk={(cell) => void ask([cell])}
        onStop={(printId) => void stop(printId)}
        onHearComp={(print) => void hearComp(print)}
        heardPrint={playing.playing ? heardComp : null}
      />
      {chosenTone && (
        <ToneStrip
          tone={chosenTone}
          printed={comparison?.sounds.find((sound) => sound.name === chosenTone.name)}
          onHear={hear}
        />
      )}
    </div>
  )
}
