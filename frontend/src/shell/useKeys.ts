import { useEffect, useLayoutEffect, useRef } from 'react'

export interface KeyAct {
  /** As `KeyboardEvent.key` gives it; letters in lower case. */
  key: string
  does: string
  /** Given the press, whose time stamp is when the key went down. */
  act: (event: KeyboardEvent) => void
}

/** Whose keys they are; those of an act under way come before those of the station, and these before the frame's. */
export type KeyRank = 'act' | 'station' | 'frame'

const ORDER: KeyRank[] = ['act', 'station', 'frame']
const registered = new Set<{ rank: KeyRank; acts: KeyAct[] }>()

/** The keys that work now, those of an act under way first; a key that is taken twice stands where it acts. */
export function presentKeys(): { rank: KeyRank; acts: KeyAct[] }[] {
  const taken = new Set<string>()
  return ORDER.map((rank) => {
    const acts = [...registered].filter((entry) => entry.rank === rank).flatMap((entry) => entry.acts)
    const free = acts.filter((entry) => !taken.has(entry.key))
    for (const entry of free) taken.add(entry.key)
    return { rank, acts: free }
  })
}

function pressed(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  const typing = target.matches('input:not([type=checkbox]):not([type=radio]), textarea, select')
  // The pedal works wherever the focus is: a press of it is never lost.
  const pedal = event.key === 'PageDown' || event.key === 'PageUp'
  if ((typing && !pedal) || event.ctrlKey || event.altKey || event.metaKey || event.repeat) return
  // A focused button keeps its own keys.
  if (target.matches('button, a, [role=radio], input') && (event.key === ' ' || event.key === 'Enter')) return
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key
  const found = presentKeys()
    .flatMap(({ acts }) => acts)
    .find((entry) => entry.key === key)
  if (!found) return
  event.preventDefault()
  found.act(event)
}

/** Keys that work while the component is shown; typing into a field, and keys with Control or Alt, are left alone. */
export function useKeys(acts: KeyAct[], rank: KeyRank = 'station') {
  const entry = useRef({ rank, acts })
  useLayoutEffect(() => {
    entry.current.acts = acts
  })
  useEffect(() => {
    const mine = entry.current
    if (registered.size === 0) window.addEventListener('keydown', pressed)
    registered.add(mine)
    return () => {
      registered.delete(mine)
      if (registered.size === 0) window.removeEventListener('keydown', pressed)
    }
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
