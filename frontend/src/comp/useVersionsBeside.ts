import { useCallback, useEffect, useRef } from 'react'
import { notice } from '../api/live'
import { usePlayer } from '../desk/Choice'
import { useOwnPlaying } from '../desk/useOwnPlaying'
import { monoSound } from '../sound/player'
import { useComparedVersions } from './queries'
import type { Range } from './useCompCell'

/** All versions of a comp run together over a stretch, round and round; one of them is heard. */
export function useVersionsBeside(partId: string, span: Range, dry: boolean) {
  const { player, begin, stop: silence, goesOn, sounds } = useOwnPlaying()
  const { heard } = usePlayer()
  const { data: compared, error } = useComparedVersions(partId, span, dry)
  const awaited = useRef<string | null>(null)

  const hear = useCallback(
    (compId: string) => {
      if (goesOn()) return player.choose(compId)
      if (!compared) {
        // Heard as soon as they are measured.
        awaited.current = compId
        return
      }
      if (!compared.some((each) => each.comp_id === compId)) return notice('this version is silent')
      const versions = compared.map((each) => monoSound(each.comp_id, each.sound, each.gain_db))
      const stretch: [number, number] = [span.from_frame, span.to_frame]
      begin(() => player.play(versions, compId, span.from_frame, stretch, null))
    },
    [player, begin, goesOn, compared, span.from_frame, span.to_frame],
  )
  useEffect(() => {
    const wanted = awaited.current
    awaited.current = null
    if (compared && wanted) hear(wanted)
  }, [compared, hear])

  const stop = useCallback(() => {
    awaited.current = null
    silence()
  }, [silence])
  const one = sounds && compared?.some((each) => each.comp_id === heard)
  return { compared, error, hear, stop, sounds, heard: one ? heard : null }
}
