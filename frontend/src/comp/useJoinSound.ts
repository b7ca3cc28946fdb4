import { useCallback, useEffect, useRef } from 'react'
import { reportErrors } from '../api/acts'
import { answered, api } from '../api/client'
import { useChoice, usePlayer } from '../desk/Choice'
import { monoSound } from '../sound/player'

/** What sounds around a join, by itself. */
export function useJoinSound(partId: string) {
  const { player } = useChoice()
  const { playing, loading } = usePlayer()
  const begun = useRef(false)

  const hear = useCallback(
    (frame: number, plain: boolean, dry: boolean) => {
      const wanted = player.announce()
      begun.current = true
      void reportErrors(async () => {
        try {
          const found = await answered(
            api.GET('/api/parts/{part_id}/comp/join/sound', {
              params: { path: { part_id: partId }, query: { frame, plain, dry } },
            }),
          )
          if (!wanted()) return
          const around: [number, number] = [found.from_frame, found.to_frame]
          await player.play([monoSound('join', found.sound, 0)], 'join', around[0], around, null)
        } catch (error) {
          if (wanted()) player.stop()
          throw error
        }
      })
    },
    [player, partId],
  )

  const stop = useCallback(() => {
    begun.current = false
    player.stop()
  }, [player])

  useEffect(
    () => () => {
      if (begun.current) player.stop()
    },
    [player],
  )
  return { hear, stop, sounds: playing || loading }
}
