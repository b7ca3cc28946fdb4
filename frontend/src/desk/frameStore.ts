import { type StoreApi, createStore } from 'zustand'
import { live } from '../api/live'
import type { Player } from '../sound/player'

/** The frame of the session that rolls, or sounds, or where playing would begin. */
export type FrameStore = StoreApi<{ frame: number }>

export function frameStore(player: Player): FrameStore {
  return createStore(() => ({ frame: player.state.frame }))
}

/** Keep a frame as it is now: with every meter while it rolls, with the screen while it plays. Returns what ends it. */
export function followFrame(player: Player, store: FrameStore): () => void {
  let request = 0
  function look() {
    const { rolling, meters, benching, bench } = live.getState()
    const looped = benching && !rolling ? (bench?.frame ?? benching.from_frame) : null
    const frame = rolling ? (meters?.frame ?? rolling.from_frame) : (looped ?? player.frameNow())
    if (frame !== store.getState().frame) store.setState({ frame })
    cancelAnimationFrame(request)
    if (player.state.playing) request = requestAnimationFrame(look)
  }
  look()
  const ends = [player.subscribe(look), live.subscribe(look), () => cancelAnimationFrame(request)]
  return () => ends.forEach((end) => end())
}
