import { scaleLinear, scaleLog } from 'd3-scale'
import { useRef } from 'react'
import type { Control } from '../../api/client'
import { TypedFigure } from '../../ui/TypedFigure'
import { figure, readFigure } from '../../ui/format'

interface TurnRuleProps {
  name: string
  control: Control
  width: number
  /** It is what the keys turn. */
  chosen: boolean
  onChoose: () => void
  onTurn: (value: number) => void
}

const EDGE = 6

/** A value of a block on its rule: what is dragged is heard while it is dragged; typed by its figure, moved by arrows. */
export function TurnRule({ name, control, width, chosen, onChoose, onTurn }: TurnRuleProps) {
  const rule = useRef<SVGSVGElement>(null)
  const value = typeof control.value === 'number' ? control.value : control.low
  const x = axisOf(control, width)
  const digits = digitsOf(control.step)
  const times = timesOf(control)

  function pointed(event: React.PointerEvent) {
    const box = rule.current!.getBoundingClientRect()
    const next = snapped(control, x.invert(((event.clientX - box.left) / box.width) * width))
    if (next !== value) onTurn(next)
  }

  return (
    <div className={`pt-0.5 ${chosen ? 'bg-wash' : ''}`} data-control={control.path.join('.')}>
      <div className="flex items-baseline justify-between gap-1.5 px-1 text-[13px] leading-4">
        <span className="min-w-0 truncate">{control.label}</span>
        <TypedFigure
          label={name}
          begin={figure(value * times, Math.max(0, digits - Math.log10(times)))}
          className="font-semibold whitespace-nowrap hover:underline"
          typedClassName="w-16 text-right"
          onOpen={onChoose}
          onKeep={(typed) => {
            const read = readFigure(typed)
            if (Number.isFinite(read)) onTurn(read / times)
          }}
        >
          {said(control, value)}
        </TypedFigure>
      </div>
      <svg
        ref={rule}
        width={width}
        height="24"
        role="slider"
        tabIndex={0}
        aria-label={name}
        aria-valuemin={control.low}
        aria-valuemax={control.high}
        aria-valuenow={value}
        aria-valuetext={said(control, value)}
        className="block cursor-ew-resize touch-none"
        onFocus={onChoose}
        onPointerDown={(event) => {
          onChoose()
          event.currentTarget.setPointerCapture(event.pointerId)
          pointed(event)
        }}
        onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && pointed(event)}
        onKeyDown={(event) => {
          const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key]
          if (by === undefined) return
          event.preventDefault()
          event.stopPropagation()
          onTurn(turned(control, by * (event.shiftKey ? 10 : 1)))
        }}
      >
        <path d={`M${EDGE} 14.5 H${width - EDGE}`} stroke="var(--ink)" />
        {x.ticks(control.even === 'ratios' ? 4 : 5).map((mark) => (
          <path key={mark} d={`M${x(mark)} 14.5 v4`} stroke="var(--pencil)" />
        ))}
        <path d={`M${x(value)} 13.5 l-5 -9 h10 Z`} fill="var(--ink)" />
      </svg>
    </div>
  )
}

function axisOf({ low, high, even }: Control, width: number) {
  const scale = even === 'ratios' && low > 0 ? scaleLog() : scaleLinear()
  return scale
    .domain([low, high])
    .range([EDGE, width - EDGE])
    .clamp(true)
}

function snapped({ low, high, step, even }: Control, next: number) {
  // Over ratios a step is a small part of the value, where it is large.
  const grain = even === 'ratios' ? Math.max(step, 10 ** Math.floor(Math.log10(Math.abs(next) / 50 || step))) : step
  return Number(Math.min(high, Math.max(low, Math.round(next / grain) * grain)).toFixed(6))
}

/** The value so many steps on; over ratios steps of about three in a hundred. */
export function turned(control: Control, steps: number) {
  const value = typeof control.value === 'number' ? control.value : control.low
  if (control.even !== 'ratios' || value <= 0) return snapped(control, value + steps * control.step)
  const next = snapped(control, value * 1.03 ** steps)
  return next === value ? snapped(control, value + Math.sign(steps) * control.step) : next
}

const digitsOf = (step: number) => Math.max(0, Math.min(4, -Math.floor(Math.log10(step || 1) + 1e-9)))

/** Lengths before a microphone are told in centimetres. */
const timesOf = ({ unit }: Control) => (unit === 'm' ? 100 : 1)

export function said(control: Control, value: number) {
  if (control.unit === 'm') return `${figure(100 * value, 1)} cm`
  if (control.unit === 'Hz' && value >= 1000) return `${figure(value / 1000, value % 1000 ? 2 : 0)} kHz`
  return `${figure(value, digitsOf(control.step))} ${control.unit}`.trim()
}
