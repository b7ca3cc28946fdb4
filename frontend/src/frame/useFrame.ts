import { useEffect, useState } from 'react'
import { useLive } from '../api/live'
import { useDesk, usePlayer } from './SessionContext'

/** Frame of the session that rolls or sounds now; redrawn with the screen while something moves. */
export function useFrame(): number {
  const { player } = useDesk()
  const { playing, frame } = usePlayer()
  const { rolling, meters } = useLive()
  const [now, setNow] = useState(frame)
  useEffect(() => {
    if (!playing) return
    let request = 0
    const turn = () => {
      setNow(player.frameNow())
      request = requestAnimationFrame(turn)
    }
    turn()
    return () => cancelAnimationFrame(request)
  }, [player, playing])
  if (rolling) return meters?.frame ?? rolling.from_frame
  return playing ? now : frame
}
