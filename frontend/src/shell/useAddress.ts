import { useCallback } from 'react'
import { useSearchParams } from 'react-router'

/** What is chosen, in the address, so that a reload loses nothing; null takes a word out of it. */
export function useAddress() {
  const [shown, setShown] = useSearchParams()
  const show = useCallback(
    (changes: Record<string, string | null>) => {
      // From the address as it is: what was drawn last may be a key press older.
      const now = new URLSearchParams(window.location.search)
      for (const [key, value] of Object.entries(changes))
        if (value === null) now.delete(key)
        else now.set(key, value)
      setShown(now, { replace: true })
    },
    [setShown],
  )
  return { shown, show }
}
