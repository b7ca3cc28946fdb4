/** A box to tick, with its name beside it. */
export function Switch({
  label,
  on,
  onChange,
  className = '',
}: {
  label: string
  on: boolean
  onChange: (on: boolean) => void
  className?: string
}) {
  return (
    <label className={`flex items-center gap-1.5 ${className}`}>
      <input
        type="checkbox"
        checked={on}
        onChange={(event) => onChange(event.target.checked)}
        className="size-4 accent-(--ink)"
      />
      {label}
    </label>
  )
}
