import { useQuery } from '@tanstack/react-query'
import { useParams } from 'react-router'
import { answered, api } from '../api/client'
import { Verdict } from '../ui/Verdict'
import { PaperPage, PaperPending } from '../ui/PaperPage'
import { clock } from '../ui/format'

/** A frozen rig sheet as a page of its own, made for paper. */
export function RigSheetPage() {
  const { id = '' } = useParams()
  const sheet = useQuery({
    queryKey: ['rig-sheet', id],
    queryFn: () => answered(api.GET('/api/rig-sheets/{sheet_id}', { params: { path: { sheet_id: id } } })),
  })
  if (!sheet.data) return <PaperPending error={sheet.error} opening="Opening the rig sheet…" />
  const { data } = sheet
  const groups = [...new Set(data.entries.map((entry) => entry.group))]

  return (
    <PaperPage back="Back to the rig" to="/rig">
      <h1 className="text-[34px] leading-tight">{data.name}</h1>
      <p className="text-pencil">
        {data.part_name} · {data.session_name}
        {data.artist && ` · ${data.artist}`} · {data.made_at.slice(0, 10)}, {clock(data.made_at)}
      </p>
      <div className="mt-6 columns-2 gap-10">
        {groups.map((group) => (
          <section key={group} className="mb-5 break-inside-avoid">
            <h2 className="border-b border-ink pb-0.5 text-[17px]">{group}</h2>
            <dl>
              {data.entries
                .filter((entry) => entry.group === group)
                .map((entry) => (
                  <div
                    key={entry.name}
                    className="flex justify-between gap-4 border-b border-rule py-[3px] text-[14px]"
                  >
                    <dt className="text-pencil first-letter:uppercase">{entry.name}</dt>
                    <dd className="text-right">{entry.value}</dd>
                  </div>
                ))}
            </dl>
          </section>
        ))}
      </div>
      <section className="mt-2">
        <h2 className="border-b border-ink pb-0.5 text-[17px]">Checks</h2>
        {data.checks.length === 0 && <p className="py-1.5 text-[14px]">None was run before it was frozen.</p>}
        <ul>
          {data.checks.map((check) => (
            <li key={check.kind} className="flex gap-4 border-b border-rule py-1 text-[14px]">
              <span className="w-20 first-letter:uppercase">{check.kind}</span>
              <span className="w-16">
                <Verdict verdict={check.verdict} />
              </span>
              <span className="grow first-letter:uppercase">{check.says}</span>
              <span className="text-pencil">{clock(check.made_at)}</span>
            </li>
          ))}
        </ul>
      </section>
    </PaperPage>
  )
}
