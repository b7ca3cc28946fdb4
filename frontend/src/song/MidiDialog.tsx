import type { MidiProposal } from '../api/client'
import { Button } from '../ui/Button'
import { Dialog } from '../ui/Dialog'
import { count } from '../ui/format'

/** What a MIDI file says of the song, before it is taken over. */
export function MidiDialog({
  proposal,
  onClose,
  onTake,
}: {
  proposal: MidiProposal | null
  onClose: () => void
  onTake: (proposal: MidiProposal) => void
}) {
  return (
    <Dialog open={proposal !== null} title="What the file says" onClose={onClose}>
      {proposal && (
        <>
          <p>
            {count(proposal.song_bars, 'bar')}, {count(proposal.tempos.length, 'tempo')} from {proposal.tempos[0]!.says}{' '}
            on, {proposal.meters.map((meter) => `${meter.beats}/${meter.unit}`).join(', ')},{' '}
            {count(proposal.sections.length, 'section')}
            {proposal.sections.length > 0 && `: ${proposal.sections.map((section) => section.name).join(', ')}`}.
          </p>
          {proposal.remarks.map((remark) => (
            <p key={remark} className="mt-2 text-pencil first-letter:uppercase">
              ~ {remark}.
            </p>
          ))}
          <div className="mt-5 flex gap-3">
            <Button main onClick={() => onTake(proposal)}>
              Take it over
            </Button>
            <Button onClick={onClose}>Leave the song as it is</Button>
          </div>
        </>
      )}
    </Dialog>
  )
}
