import { useSyncExternalStore } from 'react'

function onResize(tell: () => void) {
  window.addEventListener('resize', tell)
  return () => window.removeEventListener('resize', tell)
}

/** Height of the window, kept up to date. */
export const useWindowHeight = () => useSyncExternalStore(onResize, () => window.innerHeight)
