import { Minus, Plus } from 'lucide-react'

/** A small whole number between a minus and a plus. */
export function Stepper({
  label,
  value,
  from,
  to,
  unit = '',
  onChange,
}: {
  label: string
  value: number
  from: number
  to: number
  unit?: string
  onChange: (value: number) => void
}) {
  return (
    <span className="inline-flex items-center" role="group" aria-label={label}>
      <button
        type="button"
        aria-label={`${label}: less`}
        disabled={value <= from}
        onClick={() => onChange(value - 1)}
        className="p-1 disabled:opacity-30"
      >
        <Minus size={13} />
      </button>
      <span className="min-w-5 px-0.5 text-center text-[14px] whitespace-nowrap">
        {value}
        {unit && <span className="text-pencil"> {unit}</span>}
      </span>
      <button
        type="button"
        aria-label={`${label}: more`}
        disabled={value >= to}
        onClick={() => onChange(value + 1)}
        className="p-1 disabled:opacity-30"
      >
        <Plus size={13} />
      </button>
    </span>
  )
}
