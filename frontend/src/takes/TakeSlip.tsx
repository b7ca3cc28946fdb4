import type { Take } from '../api/client'
import { useOpenSession } from '../desk/OpenSession'
import { Button } from '../ui/Button'
import { TextField } from '../ui/TextField'
import { figure, readFigure } from '../ui/format'
import { useTakeActs } from './useTakeActs'

const NOTES: [string, string][] = [
  ['1', 'a quarter'],
  ['1/2', 'an eighth'],
  ['1/4', 'a sixteenth'],
]

/** Moving a take along the time line, all channels together; what was moved says so and can be put back. */
export function TakeSlip({ take }: { take: Take }) {
  const { session } = useOpenSession()
  const acts = useTakeActs()
  const moved = take.slip_frames !== 0

  return (
    <section className="mb-4" aria-label="Place in time">
      <div className="mb-1 flex items-baseline justify-between">
        <h3 className="text-[16px]">Place in time</h3>
        {moved && (
          <Button onClick={() => acts.putBack(take)} className="py-0.5">
            Put back
          </Button>
        )}
      </div>
      <p className={`mb-1.5 text-[13.5px] ${moved ? 'text-mic' : 'text-pencil'}`}>
        {moved
          ? `Moved by ${figure(take.slip_ms, 2)} ms, ${figure(take.slip_frames, 0)} samples: it is not where it was played.`
          : take.went_along
            ? 'Where it was played; its section has moved since, and took it along.'
            : 'Where it was played.'}
      </p>
      <div className="grid grid-cols-[1fr_1fr] gap-x-5 text-[13.5px]">
        <label className="flex items-baseline gap-2">
          Move by
          <TextField
            key={`ms ${take.slip_frames}`}
            label="Move by milliseconds"
            value=""
            onKeep={(typed) => by(typed, (ms) => acts.slip(take, { ms }))}
            className="w-16 border-rule! text-right"
          />
          ms
        </label>
        <label className="flex items-baseline gap-2">
          or
          <TextField
            key={`samples ${take.slip_frames}`}
            label="Move by samples"
            value=""
            onKeep={(typed) => by(typed, (samples) => acts.slip(take, { samples: Math.round(samples) }))}
            className="w-16 border-rule! text-right"
          />
          samples
        </label>
      </div>
      <div className="mt-1.5 flex flex-wrap gap-x-4 gap-y-1 text-[13.5px] text-pencil">
        {NOTES.map(([quarters, said]) => (
          <span key={quarters} className="flex items-center gap-1.5">
            <button
              onClick={() => acts.slip(take, { quarters: `-${quarters}` })}
              aria-label={`Earlier by ${said}`}
              className="px-1 text-ink"
            >
              ←
            </button>
            {said}
            <button
              onClick={() => acts.slip(take, { quarters })}
              aria-label={`Later by ${said}`}
              className="px-1 text-ink"
            >
              →
            </button>
          </span>
        ))}
      </div>
      <p className="sr-only">{session.rate_hz} samples are a second.</p>
    </section>
  )
}

function by(typed: string, move: (value: number) => void) {
  const value = readFigure(typed)
  if (Number.isFinite(value) && value !== 0) move(value)
}
