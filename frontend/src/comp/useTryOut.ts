import { useCallback, useEffect, useRef, useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Take, answered, api } from '../api/client'
import { useChoice, usePlayer } from '../desk/Choice'
import { useHearing } from '../desk/Hearing'
import { useOpenSession } from '../desk/OpenSession'
import { besideOf } from '../desk/Transport'
import { monoSound } from '../sound/player'
import type { Range } from './useCompCell'

/** A take of a phrase heard in its place: from a beat before, running into what follows, among the other parts. */
export function useTryOut(partId: string) {
  const { session } = useOpenSession()
  const { player, setHeardBeside } = useChoice()
  const cueId = useHearing().cue?.id
  const { playing, loading } = usePlayer()
  const [tried, setTried] = useState<{ take: Take; range: Range; looks: string[]; dry: boolean } | null>(null)
  const begun = useRef(false)

  const hear = useCallback(
    (take: Take, range: Range, dry: boolean) => {
      const wanted = player.announce()
      begun.current = true
      void reportErrors(async () => {
        try {
          const [found, beside] = await Promise.all([
            answered(
              api.GET('/api/parts/{part_id}/comp/try', {
                params: {
                  path: { part_id: partId },
                  query: { take_id: take.id, from_frame: range.from_frame, to_frame: range.to_frame, dry },
                },
              }),
            ),
            besideOf(session.id, cueId, partId),
          ])
          if (!wanted()) return
          setTried({ take, range, looks: found.looks, dry })
          const around: [number, number] = [found.from_frame, found.to_frame]
          await player.play([monoSound('tried', found.sound, 0)], 'tried', around[0], around, null, beside)
        } catch (error) {
          if (wanted()) player.stop()
          throw error
        }
      })
    },
    [player, partId, session.id, cueId],
  )

  const stop = useCallback(() => {
    begun.current = false
    player.stop()
  }, [player])

  // What is heard is told at the deck.
  const on = tried && playing ? tried : null
  const said = on && { name: `take ${on.take.number}`, detail: `in its place${on.dry ? ', dry' : ''}` }
  const saidAs = said && `${said.name} ${said.detail}`
  useEffect(() => {
    setHeardBeside(said)
    return () => setHeardBeside(null)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [saidAs])

  // Whoever leaves the station leaves what was tried there.
  useEffect(
    () => () => {
      if (begun.current) player.stop()
    },
    [player],
  )

  return { hear, stop, sounds: playing || loading, tried: on }
}
