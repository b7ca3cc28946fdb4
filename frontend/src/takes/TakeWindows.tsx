import { useState } from 'react'
import type { Take } from '../api/client'
import { type FrameRange } from '../api/live'
import { useWave } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { barBeat } from '../ui/format'
import { wavePath } from '../wave/wavePath'
import { useTakeActs } from './useTakeActs'

const WIDTH = 384
const HEIGHT = 62
/** An edge is taken hold of this wide, also where it lies at the very end. */
const GRIP = 14

/** All that was rolled, with what of it is used: the ends of a window can be dragged into the handles. */
export function TakeWindows({ take }: { take: Take }) {
  const { session } = useOpenSession()
  const acts = useTakeActs()
  const wave = useWave(take.id).data
  const [dragged, setDragged] = useState<FrameRange[] | null>(null)
  const windows = dragged ?? take.windows
  const end = take.from_frame + take.frames
  const x = (frame: number) => ((frame - take.from_frame) / take.frames) * WIDTH
  const index = take.heard_first
  const columns = wave?.channels[index]
  const path =
    wave && columns
      ? wavePath(
          columns,
          wave.framesPerColumn,
          { startFrame: 0, endFrame: take.frames },
          { x: 0, y: 24, width: WIDTH, height: 40 * (127 / wave.loudest[index]!) },
        )
      : ''

  const whole = windows[0]?.from_frame === take.from_frame && windows[0].to_frame === end

  function moved(at: number, edge: keyof FrameRange, frame: number) {
    const next = windows.map((window, place) => (place === at ? { ...window, [edge]: frame } : window))
    if (next[at]!.to_frame > next[at]!.from_frame) setDragged(next)
  }

  return (
    <section className="mb-4" aria-label="What is used">
      <div className="mb-1 flex items-baseline justify-between">
        <h3 className="text-[16px]">What is used</h3>
        <button
          onClick={() => acts.setWindows(take, [{ from_frame: take.from_frame, to_frame: end }])}
          className="text-[13px] text-pencil underline underline-offset-4 hover:text-ink"
        >
          all of it
        </button>
      </div>
      <svg width={WIDTH} height={HEIGHT} className="block touch-none select-none">
        <rect x="0" y="2" width={WIDTH} height="44" fill="var(--paper)" stroke="var(--rule)" />
        <path d={path} fill="var(--faint)" />
        <clipPath id={`used ${take.id}`}>
          {windows.map((window) => (
            <rect
              key={window.from_frame}
              x={x(window.from_frame)}
              y="0"
              width={x(window.to_frame) - x(window.from_frame)}
              height="48"
            />
          ))}
        </clipPath>
        <path
          d={path}
          fill={`var(--${take.channels[index]!.kind})`}
          clipPath={`url(#${CSS.escape(`used ${take.id}`)})`}
        />
        {take.gaps.map((gap) => (
          <rect
            key={gap.at_frame}
            x={x(take.from_frame + gap.at_frame)}
            y="2"
            width={Math.max(2, (gap.frames / take.frames) * WIDTH)}
            height="44"
            fill="var(--roll)"
            opacity="0.45"
          >
            <title>lost by the interface</title>
          </rect>
        ))}
        {windows.map((window, at) => (
          <g key={at}>
            <path
              d={`M${x(window.from_frame) + 1} 46 v8 H${x(window.to_frame) - 1} v-8`}
              fill="none"
              stroke="var(--mic)"
              strokeWidth="2.5"
            />
            {(['from_frame', 'to_frame'] as const).map((edge) => (
              <rect
                key={edge}
                x={Math.max(0, Math.min(WIDTH - GRIP, x(window[edge]) - GRIP / 2))}
                y="0"
                width={GRIP}
                height={HEIGHT}
                fill="transparent"
                role="slider"
                tabIndex={0}
                aria-label={`${edge === 'from_frame' ? 'Beginning' : 'End'} of window ${at + 1}`}
                aria-valuenow={window[edge]}
                aria-valuetext={`bar ${barBeat(window[edge], session)}`}
                className="cursor-ew-resize"
                onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
                onPointerMove={(event) => {
                  if (!event.currentTarget.hasPointerCapture(event.pointerId)) return
                  const left = event.currentTarget.ownerSVGElement!.getBoundingClientRect().left
                  const frame = take.from_frame + Math.round(((event.clientX - left) / WIDTH) * take.frames)
                  moved(at, edge, Math.max(take.from_frame, Math.min(end, frame)))
                }}
                onPointerUp={() => {
                  if (dragged) acts.setWindows(take, dragged)
                  setDragged(null)
                }}
                onKeyDown={(event) => {
                  const step = session.rate_hz / (event.shiftKey ? 10 : 100)
                  const by = { ArrowLeft: -step, ArrowRight: step }[event.key]
                  if (by === undefined) return
                  event.preventDefault()
                  const frame = Math.max(take.from_frame, Math.min(end, window[edge] + by))
                  acts.setWindows(
                    take,
                    windows.map((each, place) => (place === at ? { ...each, [edge]: frame } : each)),
                  )
                }}
              />
            ))}
          </g>
        ))}
      </svg>
      <p className="text-[12.5px] text-pencil">
        {windows.length === 0
          ? 'nothing of it is used yet'
          : windows
              .map((window) => `${barBeat(window.from_frame, session)} to ${barBeat(window.to_frame, session)}`)
              .join(', ')}
        {whole ? ', which is all of it' : '; the rest is kept as handles'}
      </p>
    </section>
  )
}
