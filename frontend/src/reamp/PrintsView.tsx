import { reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { refreshPrints, usePrints, useTones } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useAddress } from '../shell/useAddress'
import { useKeys } from '../shell/useKeys'
import { PrintTable } from './PrintTable'
import { ToneStrip } from './ToneStrip'
import { useBenchQuery } from './bench/queries'

/** The dry takes through tones, printed, against the miked amp at equal loudness. */
export function PrintsView() {
  const { session, part } = useOpenSession()
  const { take, comparison, hear } = useChoice()
  const tones = useTones()
  const prints = usePrints(session.id)
  const { shown, show } = useAddress()
  const bench = useBenchQuery(part?.id).data
  // Columns: what was printed through, what lies on the bench, and what was added by hand.
  const added = (shown.get('tones') ?? '').split(',').filter(Boolean)
  const wanted = new Set([...(prints.data ?? []).map((print) => print.tone_revision_id), ...added])
  if (bench?.kept_revision_id) wanted.add(bench.kept_revision_id)
  const columns = (tones.data ?? []).filter((tone) => wanted.has(tone.id))
  const chosen = columns.find((entry) => entry.id === shown.get('tone')) ?? columns[0]
  const setTone = (id: string) => show({ tone: id })

  const ask = (material_id: string, tone_revision_id: string) =>
    reportErrors(async () => {
      await answered(api.POST('/api/prints', { body: { material_id, tone_revision_id } }))
      refreshPrints()
    })

  const stop = (print_id: string) =>
    reportErrors(async () => {
      await answered(api.DELETE('/api/prints/{print_id}/rendering', { params: { path: { print_id } } }))
      refreshPrints()
    })

  useKeys([
    {
      key: 'Enter',
      does: 'print the take through the chosen tone',
      act: () => take && chosen && void ask(take.id, chosen.id),
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

  return (
    <div className="flex min-h-0 grow flex-col">
      <PrintTable
        tones={columns}
        others={tones.data.filter((tone) => !wanted.has(tone.id))}
        onAdd={(id) => show({ tones: [...added, id].join(','), tone: id })}
        prints={prints.data}
        toneId={chosen?.id}
        onTone={setTone}
        onAsk={(takeId, toneId) => void ask(takeId, toneId)}
        onStop={(printId) => void stop(printId)}
      />
      {chosen && (
        <ToneStrip
          tone={chosen}
          printed={comparison?.sounds.find((sound) => sound.name === chosen.name)}
          onHear={hear}
        />
      )}
    </div>
  )
}
