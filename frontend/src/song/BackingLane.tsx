import { scaleLinear } from 'd3-scale'
import { useState } from 'react'
import type { Backing, Session } from '../api/client'
import { useWave } from '../api/queries'
import { useWidth } from '../shell/useSize'
import { wavePath } from '../wave/wavePath'

const HEIGHT = 54

/** A backing track under the song's bars: its wave, the beats that were heard, and its first beat, which can be dragged. */
export function BackingLane({
  session,
  backing,
  onFirstBeat,
}: {
  session: Session
  backing: Backing
  onFirstBeat: (frame: number) => void
}) {
  const [width, box] = useWidth<HTMLDivElement>()
  const wave = useWave(backing.id).data
  const [dragged, setDragged] = useState<number | null>(null)
  const first = session.beat_frames[session.beat_bars.indexOf(1)]!
  const last = session.beat_frames[session.beat_bars.indexOf(session.song_bars + 1)] ?? session.beat_frames.at(-1)!
  // As the tempo map above: bar 1 at its left edge, the song's end at its right.
  const x = scaleLinear()
    .domain([first, last])
    .range([44, Math.max(60, width - 14)])
  const end = backing.placed_frame + backing.frames
  const from = Math.max(first, backing.placed_frame)
  const to = Math.min(last, end)
  const downbeat = backing.pulse ? backing.placed_frame + (dragged ?? backing.pulse.first_downbeat) : null

  function frameAt(event: React.PointerEvent<SVGSVGElement>) {
    const left = event.currentTarget.getBoundingClientRect().left
    const frame = Math.round(x.invert(event.clientX - left)) - backing.placed_frame
    return Math.max(0, Math.min(backing.frames - 1, frame))
  }

  return (
    <div ref={box}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`${backing.name}: ${backing.pulse?.says ?? backing.no_pulse}`}
        className="block"
        onPointerMove={(event) => dragged !== null && setDragged(frameAt(event))}
        onPointerUp={() => {
          if (dragged !== null) onFirstBeat(dragged)
          setDragged(null)
        }}
      >
        <path d={`M44 27 H${Math.max(60, width - 14)}`} stroke="var(--rule)" />
        {wave && to > from && (
          <path
            d={wavePath(
              wave.channels[0]!,
              wave.framesPerColumn,
              { startFrame: from - backing.placed_frame, endFrame: to - backing.placed_frame },
              { x: x(from), y: 27, width: x(to) - x(from), height: (34 * 127) / Math.max(20, wave.loudest[0] ?? 127) },
            )}
            fill="var(--pencil)"
          />
        )}
        {backing.pulse?.beats
          .map((beat) => backing.placed_frame + beat)
          .filter((frame) => frame >= first && frame <= last)
          .map((frame) => (
            <path key={frame} d={`M${x(frame)} 46 v5`} stroke="var(--ink)" strokeWidth="0.8" />
          ))}
        {downbeat !== null && downbeat >= first && downbeat <= last && (
          <g
            className="cursor-ew-resize"
            onPointerDown={(event) => {
              event.currentTarget.ownerSVGElement!.setPointerCapture(event.pointerId)
              setDragged(downbeat - backing.placed_frame)
            }}
          >
            <rect x={x(downbeat) - 9} y="0" width="18" height={HEIGHT} fill="transparent" />
            <path
              d={`M${x(downbeat)} 4 V52 M${x(downbeat) - 6} 4 h12 l-6 8 Z`}
              stroke="var(--ink)"
              strokeWidth="1.6"
              fill="var(--ink)"
            />
          </g>
        )}
        <text x="2" y="31" fontSize="12" fill="var(--pencil)">
          track
        </text>
      </svg>
    </div>
  )
}
