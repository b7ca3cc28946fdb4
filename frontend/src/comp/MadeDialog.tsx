import { useState } from 'react'
import { reportErrors } from '../api/acts'
import { type CompMade, answered, api } from '../api/client'
import { queryClient, refreshPrints, useTones } from '../api/queries'
import { useCompMade } from './queries'
import { Button } from '../ui/Button'
import { Dialog } from '../ui/Dialog'
import { Select } from '../ui/Select'
import { lasting } from '../ui/format'

/** What is made of a version of a comp: files, one a channel, and prints of its joined DI through a tone. */
export function MadeDialog({
  open,
  compId,
  name,
  section,
  rateHz,
  onClose,
}: {
  open: boolean
  compId: string
  name: string
  /** The section that is looked at. */
  section: { id: string; name: string } | undefined
  rateHz: number
  onClose: () => void
}) {
  const made = useCompMade(open ? compId : undefined).data
  const tones = useTones().data ?? []
  const [tone, setTone] = useState<string>()
  const chosen = tones.find((one) => one.id === tone) ?? tones[0]
  const [writing, setWriting] = useState(false)

  function write(sectionId: string | null) {
    setWriting(true)
    void reportErrors(async () => {
      const body = { section_id: sectionId }
      const changed = await answered(
        api.POST('/api/comps/{comp_id}/files', { params: { path: { comp_id: compId } }, body }),
      )
      queryClient.setQueryData(['comp-made', compId], changed)
    }).finally(() => setWriting(false))
  }
  const print = () =>
    void reportErrors(async () => {
      if (!chosen) return
      await answered(api.POST('/api/prints', { body: { material_id: compId, tone_revision_id: chosen.id } }))
      refreshPrints()
    })

  return (
    <Dialog open={open} title={`Files and prints of ${name}`} onClose={onClose} wide>
      <div className="flex flex-wrap items-center gap-3">
        <Button main disabled={writing} onClick={() => write(null)}>
          {writing ? 'Writing…' : 'Write the whole comp'}
        </Button>
        {section && (
          <Button disabled={writing} onClick={() => write(section.id)}>
            Write {section.name}
          </Button>
        )}
        <p className="text-[13.5px] text-pencil">one Broadcast WAV a channel, into the folder Comps of the session</p>
      </div>
      <div className="mt-3 flex items-center gap-3">
        <Button disabled={!chosen} onClick={print}>
          Print through
        </Button>
        {chosen && (
          <Select
            label="Tone"
            value={chosen.id}
            options={tones.map((one) => one.id)}
            said={(id) => tones.find((one) => one.id === id)?.name ?? ''}
            onChange={setTone}
          />
        )}
        <p className="text-[13.5px] text-pencil">the DI is joined first: the amp goes on through every join</p>
      </div>
      {made && <Made made={made} rateHz={rateHz} />}
    </Dialog>
  )
}

function Made({ made, rateHz }: { made: CompMade; rateHz: number }) {
  if (!made.files.length && !made.prints.length)
    return <p className="mt-4 text-[14px] text-pencil">Nothing was made of it yet.</p>
  return (
    <ul className="mt-4 max-h-[46vh] overflow-y-auto border-t border-rule text-[14px]">
      {made.prints.map(({ made: print, of_now }) => (
        <Line
          key={print.id}
          name={print.file ?? `${print.tone_name} r${print.tone_revision}`}
          says={
            print.state === 'ready'
              ? of_now
                ? 'as the comp sounds now'
                : 'of the comp as it was before'
              : print.problem || `${print.state} ${Math.round(100 * print.progress)} %`
          }
          faint={!of_now}
        />
      ))}
      {made.files.map((file) => (
        <Line
          key={file.file}
          name={file.file}
          says={file.there ? lasting(file.frames / rateHz) : 'not there any more: write it again'}
          faint={!file.there}
        />
      ))}
    </ul>
  )
}

function Line({ name, says, faint }: { name: string; says: string; faint: boolean }) {
  return (
    <li className={`flex items-baseline gap-4 border-b border-rule py-1.5 ${faint ? 'text-pencil' : ''}`}>
      <span className="min-w-0 truncate" title={name}>
        {name.split('/').slice(1).join(' / ') || name}
      </span>
      <span className="ml-auto shrink-0 text-[13px] text-pencil">{says}</span>
    </li>
  )
}
