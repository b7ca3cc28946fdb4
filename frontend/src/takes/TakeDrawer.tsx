import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { X } from 'lucide-react'
import { useJudged } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { useTransport } from '../desk/Transport'
import { Glyph } from '../ui/Glyph'
import { Verdict } from '../ui/Verdict'
import { clock, level, seconds } from '../ui/format'
import { TextField } from '../ui/TextField'
import { NoteChart } from './NoteChart'
import { TakeSlip } from './TakeSlip'
import { TakeWindows } from './TakeWindows'
import { useTakeActs } from './useTakeActs'

/** From the right: everything that is known of the chosen take. */
export function TakeDrawer({ open, onClose, empty }: { open: boolean; onClose: () => void; empty: boolean }) {
  const { session } = useOpenSession()
  const { take, comparison, heard, hear, sectionId, line } = useChoice()
  const { seek } = useTransport()
  const rolling = useRolling()
  const acts = useTakeActs()
  const judged = useJudged(open ? take?.part_id : undefined, sectionId).data?.takes.find(
    (entry) => entry.take_id === take?.id,
  )
  if (empty || !take) return null
  return (
    <Dialog open={open} onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/35" aria-hidden />
      <DialogPanel className="fixed top-[92px] right-0 bottom-[76px] w-[440px] overflow-y-auto border-l border-ink bg-sheet px-7 py-5 text-ink">
        <div className="flex items-start justify-between">
          <div>
            <DialogTitle className="text-[24px] leading-tight">
              {take.part_name}, take {take.number}
            </DialogTitle>
            <p className="text-[13px] text-pencil">
              {clock(take.recorded_at)} · bars {take.first_bar} to {take.last_bar} ·{' '}
              {seconds(take.frames / take.rate_hz)} on disk
            </p>
          </div>
          <button onClick={onClose} aria-label="Close" className="p-1">
            <X size={20} />
          </button>
        </div>
        <p className="my-4 border-y border-rule py-3 first-letter:uppercase">
          <Verdict verdict={take.verdict}>{take.verdict_says}</Verdict>
        </p>
        <label className="mb-4 block text-[13.5px] text-pencil">
          Note
          <TextField
            label="Note"
            value={take.note}
            onKeep={(note) => acts.setNote(take, note)}
            className="mt-0.5 block w-full border-rule! text-[15px] text-ink"
          />
        </label>
        {take.sim_tone && (
          <p className="mb-3 text-[13.5px] text-pencil">Printed through {take.sim_tone} while it was played.</p>
        )}
        {judged && line && (
          <NoteChart judged={judged} session={session} from={line.from_frame} to={line.to_frame} onSeek={seek} />
        )}
        <TakeWindows take={take} />
        <TakeSlip take={take} />
        <h3 className="mb-2 text-[16px]">Channels</h3>
        <ul className="flex flex-col gap-3">
          {take.channels.map((channel, index) => {
            const key = `channel-${channel.position}`
            return (
              <li key={key} className={`border px-4 py-3 ${heard === key ? 'border-ink' : 'border-rule'}`}>
                <button onClick={() => hear(key)} className="flex w-full items-center gap-2.5 text-left">
                  <Glyph kind={channel.kind} />
                  <span className="grow font-semibold first-letter:uppercase">{channel.name}</span>
                  <span className="text-[13px] text-pencil">hear it: {index + 1}</span>
                </button>
                <dl className="mt-2 grid grid-cols-[1fr_auto_1fr_auto] gap-x-3 gap-y-1 text-[13.5px]">
                  <dt className="text-pencil">average</dt>
                  <dd className="text-right">{level(channel.checks.average_dbfs)}</dd>
                  <dt className="pl-3 text-pencil">peak</dt>
                  <dd className="text-right">{level(channel.checks.peak_dbfs)}</dd>
                  <dt className="text-pencil">loudness</dt>
                  <dd className="text-right">{level(channel.checks.loudness_lufs, 'LUFS')}</dd>
                  <dt className="pl-3 text-pencil">flat tops</dt>
                  <dd className="text-right">{channel.checks.flat_top_runs}</dd>
                </dl>
                <p className="mt-1.5 text-[12.5px] break-words text-pencil">{channel.file}</p>
              </li>
            )
          })}
        </ul>
        <p className="mt-4 text-[13px] text-pencil">In the folder sessions/{take.folder}</p>
        {comparison === undefined && <p role="status">Loading what can be heard…</p>}
        <button
          onClick={() => {
            rolling.bin(take)
            onClose()
          }}
          className="mt-5 rounded-full border border-ink px-5 py-1.5"
        >
          Put into the bin
        </button>
      </DialogPanel>
    </Dialog>
  )
}
