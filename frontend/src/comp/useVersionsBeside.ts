import { useCallback, useEffect, useRef } from 'react'
import { reportErrors } from '../api/acts'
import { notice } from '../api/live'
import { useComparedVersions } from './queries'
import { useChoice, usePlayer } from '../desk/Choice'
import { monoSound } from '../sound/player'
import type { Range } from './useCompCell'

/** All versions of a comp run together over a stretch, round and round; one of them is heard. */
export function useVersionsBeside(partId: string, span: Range, dry: boolean) {
  const { player } = useChoice()
  const { playing, loading, heard } = usePlayer()
  const { data: compared, error } = useComparedVersions(partId, span, dry)
  const begun = useRef(false)
  const awaited = useRef<string | null>(null)

  const hear = useCallback(
    (compId: string) => {
      if (begun.current && player.state.playing) return player.choose(compId)
      if (!compared) {
        // Heard as soon as they are measured.
        awaited.current = compId
        return
      }
      if (!compared.some((each) => each.comp_id === compId)) return notice('this version is silent')
      begun.current = true
      const sounds = compared.map((each) => monoSound(each.comp_id, each.sound, each.gain_db))
      const stretch: [number, number] = [span.from_frame, span.to_frame]
      void reportErrors(() => player.play(sounds, compId, span.from_frame, stretch, null))
    },
    [player, compared, span.from_frame, span.to_frame],
  )
  useEffect(() => {
    const wanted = awaited.current
    awaited.current = null
    if (compared && wanted) hear(wanted)
  }, [compared, hear])

  const stop = useCallback(() => {
    begun.current = false
    awaited.current = null
    player.stop()
  }, [player])

  // Whoever leaves leaves what sounds there.
  useEffect(
    () => () => {
      if (begun.current) player.stop()
    },
    [player],
  )
  const sounds = playing || loading
  return {
    compared,
    error,
    hear,
    stop,
    sounds,
    heard: sounds && compared?.some((each) => each.comp_id === heard) ? heard : null,
  }
}
