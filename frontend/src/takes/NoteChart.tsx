import type { JudgedTake, Session } from '../api/client'
import { barBeat, figure, signed } from '../ui/format'

const WIDTH = 380
const LEFT = 40
const ROW = 92

interface Mark {
  frame: number
  off: number
  says: string
}

/** Every note of a section: early or late against the click, and its cents; a press goes there. */
export function NoteChart({ judged, session, from, to, onSeek }: NoteChartProps) {
  const place = (frame: number) => `bar ${barBeat(frame, session)}`
  const strokes: Mark[] = judged.timing.strokes.map((stroke) => ({
    frame: stroke.frame,
    off: stroke.ms,
    says: `${place(stroke.frame)}: ${figure(Math.abs(stroke.ms), 0)} ms ${stroke.ms < 0 ? 'early' : 'late'}`,
  }))
  const notes: Mark[] = judged.notes.map((note) => ({
    frame: note.frame,
    off: note.cents,
    says: `${place(note.frame)}: ${note.name} ${signed(note.cents)} cents`,
  }))
  const { mean_ms, spread_ms, drift_ms } = judged.timing
  return (
    <section aria-label="Every note" className="mb-4">
      <h3 className="text-[16px]">Every note of the section</h3>
      {strokes.length === 0 ? (
        <p className="text-[13.5px] text-pencil">No note was found in it.</p>
      ) : (
        <>
          <p className="mb-1 text-[13.5px] text-pencil">
            {strokes.length} strokes, {signed(mean_ms)} ms in the mean, spread {figure(spread_ms)} ms, drift{' '}
            {signed(drift_ms)} ms
          </p>
          <Row marks={strokes} unit="ms" above="late" below="early" least={20} {...{ session, from, to, onSeek }} />
        </>
      )}
      {notes.length > 0 && (
        <Row marks={notes} unit="cents" above="sharp" below="flat" least={15} {...{ session, from, to, onSeek }} />
      )}
    </section>
  )
}

interface Range {
  session: Session
  from: number
  to: number
  onSeek: (frame: number) => void
}

interface NoteChartProps extends Range {
  judged: JudgedTake
}

interface RowProps extends Range {
  marks: Mark[]
  unit: string
  above: string
  below: string
  /** The scale reaches at least this far. */
  least: number
}

function Row({ marks, unit, above, below, least, session, from, to, onSeek }: RowProps) {
  const reach = Math.max(least, ...marks.map((mark) => Math.abs(mark.off)))
  const x = (frame: number) => LEFT + ((frame - from) / (to - from)) * (WIDTH - LEFT - 4)
  const y = (off: number) => ROW / 2 - (off / reach) * (ROW / 2 - 10)
  const bars = session.beat_frames.flatMap((frame, index) =>
    session.beat_numbers[index] === 1 && frame >= from && frame < to ? [{ frame, bar: session.beat_bars[index]! }] : [],
  )
  const every = Math.ceil(bars.length / 8)
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${WIDTH} ${ROW + 14}`}
      className="block"
      role="img"
      aria-label={`Notes ${above} and ${below}, ${unit}`}
    >
      {bars.map(({ frame, bar }, index) => (
        <g key={frame}>
          <path d={`M${x(frame)} 6 V${ROW - 4}`} stroke="var(--rule)" />
          {index % every === 0 && (
            <text x={x(frame) + 2} y={ROW + 9} fontSize="11" fill="var(--pencil)">
              {bar}
            </text>
          )}
        </g>
      ))}
      <path d={`M${LEFT} ${ROW / 2} H${WIDTH - 4}`} stroke="var(--ink)" strokeWidth="1.2" />
      <text x={LEFT - 5} y="14" fontSize="11" textAnchor="end" fill="var(--pencil)">
        {figure(reach, 0)} {unit === 'cents' ? 'ct' : unit}
      </text>
      <text x={LEFT - 5} y="26" fontSize="11" textAnchor="end" fill="var(--pencil)">
        {above}
      </text>
      <text x={LEFT - 5} y={ROW / 2 + 4} fontSize="11" textAnchor="end" fill="var(--pencil)">
        0
      </text>
      <text x={LEFT - 5} y={ROW - 6} fontSize="11" textAnchor="end" fill="var(--pencil)">
        {below}
      </text>
      {marks.map((mark) => (
        <g key={mark.frame} onClick={() => onSeek(mark.frame)} className="cursor-pointer">
          <title>{mark.says}</title>
          <path d={`M${x(mark.frame)} ${ROW / 2} V${y(mark.off)}`} stroke="var(--faint)" strokeWidth="1.6" />
          <circle cx={x(mark.frame)} cy={y(mark.off)} r="2.8" fill="var(--di)" />
          <rect x={x(mark.frame) - 3} y="4" width="6" height={ROW - 8} fill="transparent" />
        </g>
      ))}
    </svg>
  )
}
