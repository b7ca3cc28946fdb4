import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react'
import { ChevronDown } from 'lucide-react'
import { useRef, useState } from 'react'
import { asForm } from '../api/acts'
import { type MidiProposal, type Session, answered, api } from '../api/client'
import { notice } from '../api/live'
import { openSession, useSessions } from '../api/queries'
import { UndoLinks } from '../shell/UndoLinks'
import { Select } from '../ui/Select'
import { TextField } from '../ui/TextField'
import { count } from '../ui/format'
import { MidiDialog } from './MidiDialog'
import { NewSessionDialog } from './NewSessionDialog'
import type { NewSection, SongMap, useSong } from './useSong'

const DEPTHS = ['16', '24', '32f'] as const
const SAID = { '16': '16 bit', '24': '24 bit', '32f': '32 bit float' }

/** Whose song it is, at which rate, depth and pitch; other sessions, a new one, and the song as a MIDI file. */
export function SongHead({
  session,
  song,
  onTake,
}: {
  session: Session
  song: ReturnType<typeof useSong>
  onTake: (map: SongMap, sections: NewSection[]) => void
}) {
  const sessions = useSessions().data ?? []
  const [making, setMaking] = useState(false)
  const [proposal, setProposal] = useState<MidiProposal | null>(null)
  const file = useRef<HTMLInputElement>(null)

  async function read(files: FileList | null) {
    const chosen = files?.[0]
    if (!chosen) return
    try {
      setProposal(
        await answered(
          api.POST('/api/sessions/{session_id}/song.mid', {
            params: { path: { session_id: session.id } },
            ...asForm(chosen, {}),
          }),
        ),
      )
    } catch (error) {
      notice((error as Error).message)
    }
  }

  return (
    <div className="flex items-baseline gap-5 pt-1 pb-1">
      <TextField
        label="Name of the song"
        value={session.name}
        onKeep={(name) => song.setAbout({ name })}
        className="w-[300px] font-name text-[28px] leading-tight font-bold"
      />
      <p className="flex items-baseline gap-4 text-[14px] whitespace-nowrap">
        <span>{session.rate_hz / 1000} kHz</span>
        <Select
          label="Depth"
          value={session.depth}
          options={DEPTHS}
          said={(depth) => SAID[depth]}
          onChange={(depth) => song.setAbout({ depth })}
        />
        <span className="flex items-baseline">
          <span>A =</span>
          <TextField
            label="Reference pitch in Hz"
            value={String(session.reference_pitch_hz)}
            onKeep={(typed) => song.setAbout({ reference_pitch_hz: Number(typed.replace(',', '.')) })}
            className="w-12 border-rule text-right"
          />
          <span className="ml-1 text-pencil">Hz</span>
        </span>
        <span className="text-pencil">folder {session.folder}</span>
      </p>
      <UndoLinks className="max-w-[240px]" />
      <Menu>
        <MenuButton className="ml-auto flex items-center gap-1.5 rounded-full border border-ink px-3.5 py-1.5 text-[14px]">
          Songs <ChevronDown size={14} aria-hidden />
        </MenuButton>
        <MenuItems
          anchor="bottom end"
          className="z-30 w-72 border [--anchor-max-height:24rem] border-ink bg-sheet py-1 text-ink"
        >
          <Entry onClick={() => setMaking(true)}>A new session…</Entry>
          <Entry onClick={() => file.current?.click()}>Read tempo and sections from a MIDI file…</Entry>
          <MenuItem>
            <a href={`/api/sessions/${session.id}/song.mid`} download className="block px-3.5 py-2 data-focus:bg-wash">
              Save them as a MIDI file
            </a>
          </MenuItem>
          <p className="mt-1 border-t border-rule px-3.5 pt-2 pb-1 text-[13px] text-pencil">
            {count(sessions.length, 'session')}
          </p>
          {sessions.toReversed().map((entry) => (
            <Entry key={entry.id} onClick={() => void openSession(entry.id)}>
              <span className={entry.id === session.id ? 'font-bold' : ''}>{entry.name}</span>
              <span className="ml-2 text-[13px] text-pencil">{entry.artist}</span>
              {sessions.some((other) => other.id !== entry.id && other.name === entry.name) && (
                <span className="ml-2 text-[13px] text-pencil">folder {entry.folder}</span>
              )}
            </Entry>
          ))}
        </MenuItems>
      </Menu>
      <input
        ref={file}
        type="file"
        accept=".mid,.midi,audio/midi"
        className="hidden"
        aria-label="MIDI file with the song's tempo"
        onChange={(event) => {
          void read(event.target.files)
          event.target.value = ''
        }}
      />
      <NewSessionDialog open={making} onClose={() => setMaking(false)} />
      <MidiDialog
        proposal={proposal}
        onClose={() => setProposal(null)}
        onTake={(found) => {
          setProposal(null)
          onTake(found, found.sections)
        }}
      />
    </div>
  )
}

function Entry({ children, onClick }: { children: React.ReactNode; onClick: () => void }) {
  return (
    <MenuItem>
      <button onClick={onClick} className="block w-full px-3.5 py-2 text-left data-focus:bg-wash">
        {children}
      </button>
    </MenuItem>
  )
}
