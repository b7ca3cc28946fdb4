import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { type Part, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, useRigSheets } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { Button } from '../ui/Button'
import { clock } from '../ui/format'

/** Rig sheets: freeze the rig as it is, and see what was done differently. */
export function SheetsPanel({ part }: { part: Part }) {
  const { session } = useOpenSession()
  const sheets = useRigSheets(session.id).data ?? []
  const [name, setName] = useState('')
  const [chosen, setChosen] = useState<string[]>([])
  const [one, other] = chosen.length === 2 ? chosen : [undefined, undefined]
  const compared = useQuery({
    queryKey: ['compared', one, other],
    enabled: one !== undefined && other !== undefined,
    queryFn: () => answered(api.GET('/api/rig-sheets/compare', { params: { query: { one: one!, other: other! } } })),
  }).data

  async function freeze() {
    try {
      await answered(
        api.POST('/api/parts/{part_id}/rig-sheets', { params: { path: { part_id: part.id } }, body: { name } }),
      )
      setName('')
      await queryClient.invalidateQueries({ queryKey: ['rig-sheets'] })
    } catch (error) {
      notice((error as Error).message)
    }
  }

  function toggle(id: string) {
    setChosen(chosen.includes(id) ? chosen.filter((entry) => entry !== id) : [...chosen.slice(-1), id])
  }

  return (
    <section aria-label="Rig sheets" className="flex min-h-0 grow flex-col overflow-y-auto border-t border-rule pt-3">
      <div className="flex items-center gap-5">
        <div>
          <h2 className="text-[20px] leading-tight">Rig sheets</h2>
          <p className="text-[14px] text-pencil">
            The rig and its checks, frozen under a name. Mark two to see what was done differently.
          </p>
        </div>
        <form
          className="ml-auto flex items-center gap-3"
          onSubmit={(event) => {
            event.preventDefault()
            void freeze()
          }}
        >
          <input
            value={name}
            onChange={(event) => setName(event.target.value)}
            placeholder={`${part.name}, ribbon close`}
            aria-label="Name of the rig sheet"
            className="w-52 border-b border-rule bg-transparent px-1 placeholder:text-pencil focus:border-ink focus:outline-none"
          />
          <Button main type="submit" disabled={!name.trim()}>
            Freeze it
          </Button>
        </form>
      </div>
      <div className="mt-3 grid grid-cols-[minmax(0,360px)_minmax(0,1fr)] gap-x-8">
        <ul className="border-t border-rule">
          {sheets.length === 0 && (
            <li className="py-3 text-pencil">None yet: freeze the first one before the first take.</li>
          )}
          {sheets.map((sheet) => (
            <li key={sheet.id} className="flex items-center gap-2.5 border-b border-rule py-1.5">
              <input
                type="checkbox"
                aria-label={`Compare ${sheet.name}`}
                checked={chosen.includes(sheet.id)}
                onChange={() => toggle(sheet.id)}
                className="size-4 accent-(--ink)"
              />
              <span className="min-w-0 grow truncate">
                {sheet.name}{' '}
                <span className="text-[13px] text-pencil">
                  {sheet.part_name}, {clock(sheet.made_at)}
                </span>
              </span>
              <Link to={`/rig-sheet/${sheet.id}`} className="text-[13.5px] underline underline-offset-4">
                Page
              </Link>
            </li>
          ))}
        </ul>
        {compared && (
          <table className="h-fit w-full text-[14px]">
            <thead>
              <tr className="border-b border-rule text-left">
                <th className="py-1 text-[13px] font-normal text-pencil">what differs</th>
                <th>{compared.one.name}</th>
                <th>{compared.other.name}</th>
              </tr>
            </thead>
            <tbody>
              {compared.differences.length === 0 && (
                <tr>
                  <td colSpan={3} className="py-2">
                    Nothing: both rigs are the same.
                  </td>
                </tr>
              )}
              {compared.differences.map((line) => (
                <tr key={line.group + line.name} className="border-b border-rule align-top">
                  <td className="py-1 pr-3 text-pencil">
                    {line.group}, {line.name}
                  </td>
                  <td className="pr-3">{line.one ?? 'not there'}</td>
                  <td>{line.other ?? 'not there'}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </section>
  )
}
