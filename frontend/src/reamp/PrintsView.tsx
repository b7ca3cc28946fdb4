import { useState } from 'react'
import { reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { refreshPrints, usePrints, useTones } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useKeys } from '../shell/useKeys'
import { PrintTable } from './PrintTable'
import { ToneStrip } from './ToneStrip'

/** The dry takes through tones, printed, against the miked amp at equal loudness. */
export function PrintsView() {
  const { session } = useOpenSession()
  const { take, comparison, hear } = useChoice()
  const tones = useTones()
  const prints = usePrints(session.id)
  const [tone, setTone] = useState<string>()
  const chosen = tones.data?.find((entry) => entry.id === tone) ?? tones.data?.[1] ?? tones.data?.[0]

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
        tones={tones.data}
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
