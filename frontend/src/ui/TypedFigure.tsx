import { useState } from 'react'

interface TypedFigureProps {
  label: string
  /** What stands in the field when it opens. */
  begin: string
  /** The look of the button, and of the field. */
  className: string
  typedClassName: string
  disabled?: boolean
  onOpen?: () => void
  /** What was typed, at Enter. */
  onKeep: (typed: string) => void
  children: React.ReactNode
}

/** A figure that is typed by clicking it; Enter keeps what was typed, Escape and leaving do not. */
export function TypedFigure({
  label,
  begin,
  className,
  typedClassName,
  disabled = false,
  onOpen,
  onKeep,
  children,
}: TypedFigureProps) {
  const [typed, setTyped] = useState<string | null>(null)
  if (typed === null)
    return (
      <button
        disabled={disabled}
        aria-label={`Type ${label}`}
        className={className}
        onClick={() => {
          onOpen?.()
          setTyped(begin)
        }}
      >
        {children}
      </button>
    )
  return (
    <input
      autoFocus
      aria-label={`${label}, typed`}
      className={`border-b border-ink bg-transparent outline-none ${typedClassName}`}
      value={typed}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => setTyped(null)}
      onKeyDown={(event) => {
        if (event.key === 'Escape') setTyped(null)
        if (event.key !== 'Enter') return
        setTyped(null)
        onKeep(typed)
      }}
    />
  )
}
