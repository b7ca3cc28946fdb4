import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { ChevronDown } from 'lucide-react'
import { useRef } from 'react'
import type { SignalKind } from '../api/client'
import { useLive } from '../api/live'
import { useInterface, useMonitoring } from '../api/queries'
import { DiskSpaceLeft } from '../shell/DiskSpaceLeft'
import { useOpenSession } from '../desk/OpenSession'
import { count } from '../ui/format'
import { CordCard, CordEnd } from './CordCard'
import { HowItRolls } from './HowItRolls'
import { isPrinted } from './printed'
import { ToEars } from './ToEars'

/** The armed part, its two cords, how it rolls, and for how long the disk holds out. */
export function PartSide({ onFile, bringing }: { onFile: (files: FileList | null) => void; bringing: string | null }) {
  const { session, part, arm, takes } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const monitoring = useMonitoring(part?.id).data
  const offset = useInterface(session.id).data?.offset
  const file = useRef<HTMLInputElement>(null)
  if (!part) return <aside>This session has no part yet.</aside>
  const binned = takes.filter((take) => take.part_id === part.id && take.binned).length
  const together = session.parts.filter((entry) => entry.armed)

  return (
    <aside className="flex min-h-0 flex-col gap-1.5 overflow-y-auto pt-1 pb-2">
      <div>
        <Listbox value={part.id} onChange={arm} disabled={rolling !== null}>
          <ListboxButton className="group flex items-center gap-2 text-left font-name text-[26px] leading-none font-bold">
            {part.name}
            <ChevronDown size={20} className="text-pencil" aria-hidden />
          </ListboxButton>
          <ListboxOptions anchor="bottom start" className="z-20 w-52 border border-ink bg-sheet py-1 text-ink">
            {session.parts.map((entry) => (
              <ListboxOption
                key={entry.id}
                value={entry.id}
                className="px-3.5 py-2 data-focus:bg-wash data-selected:font-bold"
              >
                {entry.name}
                <span className="block text-[13px] text-pencil">{entry.instrument}</span>
              </ListboxOption>
            ))}
          </ListboxOptions>
        </Listbox>
        <p className="mt-1 text-[13px] text-pencil">
          {together.length > 1
            ? `armed with ${together
                .filter((entry) => entry !== part)
                .map((entry) => entry.name)
                .join(', ')}`
            : `armed · ${part.instrument}`}
        </p>
      </div>
      <CordCard title="To disk">
        <ul>
          {part.to_disk.map((step) => (
            <CordEnd
              key={step.name}
              kind={step.kind as SignalKind}
              name={step.name}
              detail={step.detail}
              moving={rolling !== null}
            />
          ))}
          {monitoring && isPrinted(monitoring) && (
            <CordEnd
              kind="sim"
              name={`${monitoring.tone_name}, printed`}
              detail="beside the clean DI"
              moving={rolling !== null}
            />
          )}
        </ul>
      </CordCard>
      <ToEars />
      <HowItRolls />
      <p className="text-[13px] leading-[1.5] text-pencil">
        <DiskSpaceLeft />
        {binned > 0 && ` · ${count(binned, 'take')} in the bin`}
        <br />
        {offset ? (
          <>
            Placed by <span className="text-ink">−{offset.frames} samples</span>
          </>
        ) : (
          'Latency not measured yet'
        )}
      </p>
      <button
        onClick={() => file.current?.click()}
        disabled={bringing !== null}
        className="mt-auto shrink-0 truncate rounded-full border border-ink px-4 py-1.5 text-[14px]"
      >
        {bringing ? `Bringing in ${bringing}…` : 'Bring in files'}
      </button>
      <input
        ref={file}
        type="file"
        multiple
        accept="audio/*,.wav,.flac,.aif,.aiff,.ogg,.mp3,.w64,.caf"
        className="hidden"
        aria-label="DI file to bring in"
        onChange={(event) => {
          onFile(event.target.files)
          event.target.value = ''
        }}
      />
    </aside>
  )
}
