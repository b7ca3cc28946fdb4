import { useEffect, useRef } from 'react'

export interface KeyAct {
  /** As `KeyboardEvent.key` gives it; letters in lower case. */
  key: string
  does: string
  act: () => void
}

/** Keys of the present station; typing into a field, and keys with Control or Alt, are left alone. */
export function useKeys(acts: KeyAct[]) {
  const current = useRef(acts)
  current.current = acts
  useEffect(() => {
    function pressed(event: KeyboardEvent) {
      const target = event.target as HTMLElement
      const typing = target.matches('input:not([type=checkbox]):not([type=radio]), textarea, select')
      if (typing || event.ctrlKey || event.altKey || event.metaKey || event.repeat) return
      // A focused button keeps its own keys.
      if (target.matches('button, a, [role=radio], input') && (event.key === ' ' || event.key === 'Enter')) return
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key
      const found = current.current.find((entry) => entry.key === key)
      if (!found) return
      event.preventDefault()
      found.act()
    }
    window.addEventListener('keydown', pressed)
    return () => window.removeEventListener('keydown', pressed)
  }, [])
}

/** A button that was clicked gives its focus back: the next Space is meant for the deck, not for the button. */
export function useClicksLeaveFocus() {
  useEffect(() => {
    function clicked(event: MouseEvent) {
      const active = document.activeElement as HTMLElement | null
      const byPointer = event.detail > 0
      if (byPointer && active?.matches('button:not([aria-haspopup]), a, [role=checkbox], [role=radio]')) active.blur()
    }
    window.addEventListener('click', clicked)
    return () => window.removeEventListener('click', clicked)
  }, [])
}
