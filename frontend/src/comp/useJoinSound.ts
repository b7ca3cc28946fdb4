import { useCallback } from 'react'
import { actsUnderWay } from '../api/acts'
import { answered, api } from '../api/client'
import { useOwnPlaying } from '../desk/useOwnPlaying'
import { monoSound } from '../sound/player'

/** What sounds around a join, by itself. */
export function useJoinSound(partId: string) {
  const { player, begin, stop, sounds } = useOwnPlaying()
  const hear = useCallback(
    (where: () => number, plain: boolean, dry: boolean) =>
      begin(async (wanted) => {
        // A join that is being moved is heard where it comes to.
        await actsUnderWay()
        const frame = where()
        const found = await answered(
          api.GET('/api/parts/{part_id}/comp/join/sound', {
            params: { path: { part_id: partId }, query: { frame, plain, dry } },
          }),
        )
        if (!wanted()) return
        const around: [number, number] = [found.from_frame, found.to_frame]
        await player.play([monoSound('join', found.sound, 0)], 'join', around[0], around, null)
      }),
    [player, begin, partId],
  )
  return { hear, stop, sounds }
}
