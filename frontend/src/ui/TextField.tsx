import { useState } from 'react'

/**
 * A word or figure that is typed in place; Enter or leaving keeps it, Escape does not.
 *
 * A new value from elsewhere is shown at once, but never takes the place of what is being typed.
 */
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
  const [typing, setTyping] = useState(false)
  const [given, setGiven] = useState(value)
  if (given !== value && !typing) {
    setGiven(value)
    setText(value)
  }

  function keep() {
    setTyping(false)
    if (text.trim() && text.trim() !== value) onKeep(text.trim())
    else setText(value)
  }
  return (
    <input
      aria-label={label}
      value={text}
      onChange={(event) => {
        setTyping(true)
        setText(event.target.value)
      }}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur()
        if (event.key === 'Escape') {
          setTyping(false)
          setText(value)
        }
      }}
      className={`min-w-0 border-b border-transparent bg-transparent hover:border-rule focus:border-ink focus:outline-none ${className}`}
    />
  )
}
