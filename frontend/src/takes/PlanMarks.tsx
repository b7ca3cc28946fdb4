import { useState } from 'react'
import type { RollSettings, SheetLine } from '../api/client'
import type { FrameRange } from '../api/live'

interface PlanMarksProps {
  line: SheetLine
  settings: RollSettings
  left: number
  span: number
  bottom: number
  snap: (frame: number) => number
  onChange: (index: number, window: FrameRange | null) => void
}

/** What the next roll uses, under the bars: windows as brackets whose ends can be dragged, a loop as one with a turn. */
export function PlanMarks({ line, settings, left, span, bottom, snap, onChange }: PlanMarksProps) {
  const x = (frame: number) => left + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * span
  const inside = (window: FrameRange) => window.from_frame < line.to_frame && window.to_frame > line.from_frame
  if (settings.way === 'loop') {
    const bars = line.bars.filter(
      (bar) => bar.number >= settings.loop_bar && bar.number < settings.loop_bar + settings.loop_bars,
    )
    if (!bars.length) return null
    const [from, to] = [x(bars[0]!.from_frame), x(bars.at(-1)!.to_frame)]
    return (
      <g stroke="var(--ink)" strokeWidth="2" fill="none">
        <path d={`M${from + 2} ${bottom} H${to - 2}`} />
        <path d={`M${from + 8} ${bottom - 5} l-5 5 l5 5`} />
        <path d={`M${to - 2} ${bottom - 6} v6`} />
      </g>
    )
  }
  if (settings.way !== 'windows') return null
  return (
    <>
      {settings.windows.map(
        (window, index) =>
          inside(window) && (
            <Bracket
              key={`${window.from_frame}-${window.to_frame}`}
              window={window}
              line={line}
              x={x}
              bottom={bottom}
              frameAt={(px) => snap(line.from_frame + ((px - left) / span) * (line.to_frame - line.from_frame))}
              onChange={(changed) => onChange(index, changed)}
            />
          ),
      )}
    </>
  )
}

interface BracketProps {
  window: FrameRange
  line: SheetLine
  x: (frame: number) => number
  bottom: number
  frameAt: (x: number) => number
  onChange: (window: FrameRange | null) => void
}

function Bracket({ window, line, x, bottom, frameAt, onChange }: BracketProps) {
  const [dragged, setDragged] = useState<FrameRange | null>(null)
  const shown = dragged ?? window
  const from = x(Math.max(shown.from_frame, line.from_frame))
  const to = x(Math.min(shown.to_frame, line.to_frame))

  function end(edge: 'from_frame' | 'to_frame', at: number, name: string) {
    return (
      <rect
        x={at - 6}
        y={bottom - 12}
        width="12"
        height="14"
        fill="transparent"
        className="cursor-ew-resize touch-none"
        role="slider"
        aria-label={name}
        aria-valuenow={shown[edge]}
        onPointerDown={(event) => {
          event.stopPropagation()
          event.currentTarget.setPointerCapture(event.pointerId)
          setDragged(window)
        }}
        onPointerMove={(event) => {
          if (!dragged) return
          const box = event.currentTarget.ownerSVGElement!.getBoundingClientRect()
          const next = { ...dragged, [edge]: frameAt(event.clientX - box.left) }
          if (next.to_frame > next.from_frame) setDragged(next)
        }}
        onPointerUp={() => {
          if (dragged && (dragged.from_frame !== window.from_frame || dragged.to_frame !== window.to_frame))
            onChange(dragged)
          setDragged(null)
        }}
      />
    )
  }

  return (
    <g>
      <path d={`M${from + 1} ${bottom - 8} v8 H${to - 1} v-8`} fill="none" stroke="var(--mic)" strokeWidth="2.5" />
      {window.from_frame >= line.from_frame && end('from_frame', from, 'Beginning of the window')}
      {window.to_frame <= line.to_frame && end('to_frame', to, 'End of the window')}
      <g
        role="button"
        tabIndex={0}
        aria-label="Remove the window"
        className="cursor-pointer"
        onPointerDown={(event) => event.stopPropagation()}
        onClick={() => onChange(null)}
        onKeyDown={(event) => (event.key === 'Enter' || event.key === 'Delete') && onChange(null)}
      >
        <circle cx={(from + to) / 2} cy={bottom} r="6.5" fill="var(--paper)" />
        <path d={`M${(from + to) / 2 - 3} ${bottom - 3} l6 6 m0 -6 l-6 6`} stroke="var(--mic)" strokeWidth="1.8" />
      </g>
    </g>
  )
}
