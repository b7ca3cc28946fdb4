import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { ChevronDown } from 'lucide-react'
import { useRef } from 'react'
import type { SignalKind } from '../api/client'
import { useLive } from '../api/live'
import { useDesk } from '../frame/SessionContext'
import { Glyph } from '../signal/Glyph'
import { count } from '../signal/format'

/** The armed part, and its two cords: what goes to disk, and what goes to the ears only. */
export function PartSide({ onFile, bringing }: { onFile: (files: FileList | null) => void; bringing: string | null }) {
  const { session, part, arm, takes, comparison, heard, clicks } = useDesk()
  const { rolling } = useLive()
  const file = useRef<HTMLInputElement>(null)
  if (!part) return <aside>This session has no part yet.</aside>
  const binned = takes.filter((take) => take.part_id === part.id && take.binned).length
  const sound = comparison?.sounds.find((entry) => entry.key === heard)

  return (
    <aside className="flex min-h-0 flex-col gap-2.5 overflow-y-auto pt-2 pb-3">
      <Listbox value={part.id} onChange={arm} disabled={rolling !== null}>
        <ListboxButton className="group flex items-center gap-2 text-left font-name text-[26px] leading-none font-bold">
          {part.name}
          <ChevronDown size={20} className="text-pencil" aria-hidden />
        </ListboxButton>
        <ListboxOptions anchor="bottom start" className="z-20 w-52 border border-ink bg-sheet py-1 text-ink">
          {session.parts.map((entry) => (
            <ListboxOption key={entry.id} value={entry.id} className="px-3.5 py-2 data-focus:bg-wash data-selected:font-bold">
              {entry.name}
              <span className="block text-[13px] text-pencil">{entry.instrument}</span>
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      <p className="mb-1 text-[13px] text-pencil">armed · {part.instrument}</p>

      <CordCard title="To disk" moving={rolling !== null}>
        {part.to_disk.map((step) => (
          <CordEnd key={step.name} kind={step.kind as SignalKind} name={step.name} detail={step.detail} />
        ))}
      </CordCard>
      <CordCard title="To your ears" moving={false}>
        {rolling ? (
          <CordEnd kind={null} name={clicks ? 'Click only' : 'Nothing'} detail="you hear the amp in the room" />
        ) : sound ? (
          <CordEnd kind={sound.kind} name={sound.name} detail="not to disk" />
        ) : (
          <CordEnd kind={null} name="Nothing yet" detail="choose a take" />
        )}
      </CordCard>

      <p className="mt-1 text-[13px] leading-relaxed text-pencil">
        {session.rate_hz / 1000} kHz, {session.depth} bit
        <br />
        whole roll kept around windows
        <br />
        {count(binned, 'take')} in the bin
      </p>
      <button
        onClick={() => file.current?.click()}
        disabled={bringing !== null}
        className="mt-auto truncate rounded-full border border-ink px-4 py-2 text-[14px]"
      >
        {bringing ? `Bringing in ${bringing}…` : 'Bring in a DI file'}
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

function CordCard({ title, children, moving }: { title: string; children: React.ReactNode; moving: boolean }) {
  return (
    <section className="border border-rule bg-sheet px-3.5 pt-3 pb-2.5">
      <h2 className="mb-2 text-[16px]">{title}</h2>
      <ul className={moving ? 'text-mic' : ''}>{children}</ul>
    </section>
  )
}

/** One end of a cord: the line that leads to it, its shape (none where no signal comes), its name. */
function CordEnd({ kind, name, detail }: { kind: SignalKind | null; name: string; detail: string }) {
  return (
    <li className="flex items-start gap-2 pb-2 last:pb-0">
      <svg width="22" height="14" className="mt-[3px] shrink-0" aria-hidden>
        <circle cx="3" cy="7" r="3" fill="var(--ink)" />
        <path d="M3 7 H22" stroke="var(--faint)" strokeWidth={kind === 'di' ? 1.5 : 3} />
      </svg>
      <span className="-ml-2 w-[14px] pt-[3px]">{kind && <Glyph kind={kind} />}</span>
      <span className="min-w-0 text-[13.5px] leading-[1.3]">
        <span className="block text-ink">{name}</span>
        <span className="block text-[12.5px] text-pencil">{detail}</span>
      </span>
    </li>
  )
}
