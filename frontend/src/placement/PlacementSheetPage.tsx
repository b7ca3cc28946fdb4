import { useQuery } from '@tanstack/react-query'
import { useParams } from 'react-router'
import { answered, api } from '../api/client'
import { PaperPage, PaperPending } from '../ui/PaperPage'
import { clock } from '../ui/format'
import { MicPlan } from './MicPlan'

/** Every dimension of a placement, with its plan, made for paper: by it the microphones are put back where they were. */
export function PlacementSheetPage() {
  const { id = '' } = useParams()
  const sheet = useQuery({
    queryKey: ['placement-sheet', id],
    queryFn: () => answered(api.GET('/api/trials/{trial_id}/sheet', { params: { path: { trial_id: id } } })),
  })
  if (!sheet.data) return <PaperPending error={sheet.error} opening="Opening the placement…" />
  const { data } = sheet
  return (
    <PaperPage back="Back to Placement" to={`/placement?trial=${id}`} wide>
      <h1 className="text-[34px] leading-tight">Put it back where it was</h1>
      <p className="text-pencil">
        {data.part_name}, trial {data.number} · {data.session_name}
        {data.artist && ` · ${data.artist}`} · {data.recorded_at.slice(0, 10)}, {clock(data.recorded_at)}
      </p>
      {data.note && <p className="mt-1 font-semibold">{data.note}</p>}
      <p className="mt-3 mb-2 text-[14px]">
        {[data.amp, data.plan.front.title, `room: ${data.room}`].filter(Boolean).join(' · ')}
      </p>
      <div className="pointer-events-none mb-5 border border-rule">
        <MicPlan
          plan={data.plan}
          rig={data.rig}
          ghosts={[]}
          chosen={undefined}
          height={300}
          onChoose={() => undefined}
          onDraw={() => undefined}
          onKeep={() => undefined}
        />
      </div>
      <div className="columns-2 gap-10">
        {data.mics.map((mic) => (
          <section key={mic.name} className="mb-5 break-inside-avoid">
            <h2 className="border-b border-ink pb-0.5 text-[17px] first-letter:uppercase">{mic.name}</h2>
            <dl>
              {mic.dimensions.map(({ name, value }) => (
                <div key={name} className="flex justify-between gap-4 border-b border-rule py-[3px] text-[14px]">
                  <dt className="text-pencil first-letter:uppercase">{name}</dt>
                  <dd className="text-right font-semibold">{value}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      {data.plan.pairs.map((pair) => (
        <p key={pair.second} className="text-[14px] first-letter:uppercase">
          {pair.says}.
        </p>
      ))}
    </PaperPage>
  )
}
