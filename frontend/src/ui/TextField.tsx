import { useState } from 'react'

/** A word or figure that is typed in place; Enter or leaving keeps it, Escape does not. */
export function TextField({
  label,
  value,
  onKeep,
  className = '',
}: {
  label: string
  value: string
  onKeep: (value: string) => void
  className?: string
}) {
  const [text, setText] = useState(value)
  const [given, setGiven] = useState(value)
  if (given !== value) {
    setGiven(value)
    setText(value)
  }

  function keep() {
    if (text.trim() && text.trim() !== value) onKeep(text.trim())
    else setText(value)
  }
  return (
    <input
      aria-label={label}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur()
        if (event.key === 'Escape') setText(value)
      }}
      className={`min-w-0 border-b border-transparent bg-transparent hover:border-rule focus:border-ink focus:outline-none ${className}`}
    />
  )
}
