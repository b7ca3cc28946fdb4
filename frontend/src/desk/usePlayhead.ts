import { useStore } from 'zustand'
import { useChoice } from './Choice'

/** What is read off the frame of now; whoever reads it is drawn again when that is another, not with every frame. */
export function usePlayhead<T extends string | number | boolean | null>(pick: (frame: number) => T): T {
  return useStore(useChoice().frameStore, ({ frame }) => pick(frame))
}
