import { figure } from '../../ui/format'

/** A figure of a tone on a short scale, so that rows can be compared at a glance. */
export function FigureBar({
  value,
  from,
  to,
  unit,
  digits = 1,
  name,
}: {
  value: number | undefined
  from: number
  to: number
  unit: string
  digits?: number
  name: string
}) {
  if (value === undefined) return <span className="text-[13px] text-faint">…</span>
  const share = Math.min(1, Math.max(0, (value - from) / (to - from)))
  return (
    <span className="flex items-center gap-2" title={`${name}: ${figure(value, digits)} ${unit}`}>
      <svg width="52" height="12" aria-hidden className="shrink-0">
        <path d="M0 9.5 H52" stroke="var(--rule)" />
        <path d={`M${1 + 50 * share} 2 V10`} stroke="var(--sim)" strokeWidth="3" />
      </svg>
      <span className="text-[13px] whitespace-nowrap">{figure(value, digits)}</span>
    </span>
  )
}
