import { useCallback, useEffect, useRef } from 'react'
import { reportErrors } from '../api/acts'
import { useChoice, usePlayer } from './Choice'

/** Sound that belongs to what is shown: whoever leaves that leaves the sound too. */
export function useOwnPlaying() {
  const { player } = useChoice()
  const { playing, loading } = usePlayer()
  const begun = useRef(false)

  /** Ask for a sound and play it; `wanted` says whether nothing else was asked for since. */
  const begin = useCallback(
    (play: (wanted: () => boolean) => Promise<void>) => {
      const wanted = player.announce()
      begun.current = true
      void reportErrors(async () => {
        try {
          await play(wanted)
        } catch (error) {
          if (wanted()) player.stop()
          throw error
        }
      })
    },
    [player],
  )
  const stop = useCallback(() => {
    begun.current = false
    player.stop()
  }, [player])
  const goesOn = useCallback(() => begun.current && player.state.playing, [player])
  useEffect(
    () => () => {
      if (begun.current) player.stop()
    },
    [player],
  )
  return { player, begin, stop, goesOn, sounds: playing || loading }
}
