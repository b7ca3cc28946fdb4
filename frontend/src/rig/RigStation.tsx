import { useState } from 'react'
import { useLive } from '../api/live'
import { useChecks, useChoices, useInterface } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { UndoLinks } from '../shell/UndoLinks'
import { ConfirmDialog } from '../ui/ConfirmDialog'
import { CheckList } from './CheckList'
import { CordsDrawing } from './CordsDrawing'
import { InterfacePanel } from './InterfacePanel'
import { NodeValues } from './NodeValues'
import { PartHead } from './PartHead'
import { SheetsPanel } from './SheetsPanel'
import { PANELS } from './checks/panels'
import { useRigActs } from './useRigActs'

/** What runs through what into which input; and every check, measured before the first take. */
export function RigStation() {
  const { session, part } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const listening = useLive((live) => live.listening)
  const choices = useChoices().data
  const checks = useChecks(part?.id).data ?? []
  const device = useInterface(session.id).data
  const acts = useRigActs(part)
  const [node, setNode] = useState('di')
  const [panel, setPanel] = useState<string | null>(null)
  const { view } = acts
  const Shown = panel ? PANELS[panel] : undefined
  const found = (kind: string) => checks.find((check) => check.kind === kind)

  if (!choices)
    return (
      <p role="status" className="p-8 text-pencil">
        Opening the rig…
      </p>
    )

  return (
    <div className="grid h-full grid-cols-[218px_minmax(0,1fr)] gap-x-7 pr-5 pb-3 pl-6">
      <aside className="flex min-h-0 flex-col gap-3 overflow-y-auto pt-2">
        <PartHead part={part} choices={choices} />
        {part && <CheckList kinds={choices.checks} checks={checks} chosen={panel} onChoose={setPanel} />}
        {part && (
          <div className="mt-auto flex flex-col items-start gap-1.5 text-[14px]">
            <Other name="Rig sheets" on={panel === 'sheets'} onClick={() => setPanel('sheets')} />
            <Other name="Interface and its faults" on={panel === 'interface'} onClick={() => setPanel('interface')} />
            <UndoLinks className="max-w-full" />
          </div>
        )}
      </aside>
      {part && view && view.part_id === part.id ? (
        <div className="flex min-h-0 flex-col gap-2 pt-1">
          <CordsDrawing
            view={view}
            chosen={panel ? '' : node}
            rolling={rolling !== null || listening !== null}
            onChoose={(chosen) => {
              setPanel(null)
              setNode(chosen)
            }}
          />
          {panel === null && <NodeValues view={view} choices={choices} chosen={node} acts={acts} onChoose={setNode} />}
          {Shown && panel && (
            <Shown key={part.id} part={part} view={view} check={found(panel)} acts={acts} device={device} />
          )}
          {panel === 'interface' && <InterfacePanel device={device} acts={acts} />}
          {panel === 'sheets' && <SheetsPanel part={part} />}
        </div>
      ) : (
        <p role="status" className="pt-6 text-pencil">
          {part ? 'Computing the rig…' : 'Add a part: choose an instrument, and its rig is drawn here.'}
        </p>
      )}
      <ConfirmDialog asked={acts.asked} onClose={acts.dismiss} />
    </div>
  )
}

function Other({ name, on, onClick }: { name: string; on: boolean; onClick: () => void }) {
  return (
    <button onClick={onClick} aria-pressed={on} className={`underline underline-offset-4 ${on ? 'font-bold' : ''}`}>
      {name}
    </button>
  )
}
