import { scaleLinear } from 'd3-scale'
import { useRef, useState } from 'react'
import { figure, readFigure } from './format'
import { TypedFigure } from './TypedFigure'

interface RuleProps {
  label: string
  value: number
  from: number
  to: number
  step?: number
  unit?: string
  digits?: number
  disabled?: boolean
  /** For a narrow place. */
  short?: boolean
  /** Its name stands elsewhere. */
  bare?: boolean
  onChange: (value: number) => void
}

const LONG = 148
const SHORT = 104

/** A value on a rule: dragged or moved by the arrow keys (Shift for large steps), typed by clicking its figure. */
export function Slider({
  label,
  value,
  from,
  to,
  step = 1,
  unit = '',
  digits = 0,
  disabled = false,
  short = false,
  bare = false,
  onChange,
}: RuleProps) {
  const width = short ? SHORT : LONG
  const [dragged, setDragged] = useState<number | null>(null)
  const rule = useRef<SVGSVGElement>(null)
  const x = scaleLinear()
    .domain([from, to])
    .range([6, width - 6])
    .clamp(true)
  const shown = dragged ?? value

  function snapped(next: number) {
    return Math.min(to, Math.max(from, Math.round(next / step) * step))
  }

  function settle(next: number) {
    setDragged(null)
    const at = Number(snapped(next).toFixed(6))
    if (at !== value) onChange(at)
  }

  function pointed(event: React.PointerEvent) {
    const box = rule.current!.getBoundingClientRect()
    return snapped(x.invert(((event.clientX - box.left) / box.width) * width))
  }

  return (
    <div className="flex items-center gap-2.5">
      {!bare && (
        <span className={`shrink-0 text-[13.5px] text-pencil ${short ? 'w-[76px]' : 'w-[92px]'}`}>{label}</span>
      )}
      <svg
        ref={rule}
        width={width}
        height="24"
        role="slider"
        tabIndex={disabled ? -1 : 0}
        aria-label={label}
        aria-valuemin={from}
        aria-valuemax={to}
        aria-valuenow={shown}
        aria-valuetext={`${figure(shown, digits)} ${unit}`.trim()}
        aria-disabled={disabled}
        className={`shrink-0 touch-none ${disabled ? 'opacity-50' : 'cursor-ew-resize'}`}
        onPointerDown={(event) => {
          if (disabled) return
          event.currentTarget.setPointerCapture(event.pointerId)
          setDragged(pointed(event))
        }}
        onPointerMove={(event) => dragged !== null && setDragged(pointed(event))}
        onPointerUp={() => dragged !== null && settle(dragged)}
        onPointerCancel={() => setDragged(null)}
        onKeyDown={(event) => {
          if (disabled) return
          const size = event.shiftKey ? 10 * step : step
          const move = { ArrowRight: size, ArrowUp: size, ArrowLeft: -size, ArrowDown: -size }[event.key]
          if (move === undefined) return
          event.preventDefault()
          settle(value + move)
        }}
      >
        <path d={`M6 17.5 H${width - 6}`} stroke="var(--ink)" />
        {x.ticks(5).map((mark) => (
          <path key={mark} d={`M${x(mark)} 17.5 v5`} stroke="var(--pencil)" />
        ))}
        <path d={`M${x(shown)} 16.5 l-5 -10 h10 Z`} fill="var(--ink)" />
      </svg>
      <TypedFigure
        label={label}
        begin={figure(value, digits)}
        disabled={disabled}
        className="min-w-14 border-b border-rule text-right text-[14px] whitespace-nowrap hover:border-ink"
        typedClassName="w-16 text-right text-[14px]"
        onKeep={(typed) => {
          const read = readFigure(typed)
          if (Number.isFinite(read)) settle(read)
        }}
      >
        {figure(shown, digits)} <span className="text-pencil">{unit}</span>
      </TypedFigure>
    </div>
  )
}
