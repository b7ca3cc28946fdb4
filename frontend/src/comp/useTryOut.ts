import { useCallback, useEffect, useState } from 'react'
import { type Take, answered, api } from '../api/client'
import { useChoice, usePlayer } from '../desk/Choice'
import { useHearing } from '../desk/Hearing'
import { useOpenSession } from '../desk/OpenSession'
import { useOwnPlaying } from '../desk/useOwnPlaying'
import { besideOf } from '../desk/Transport'
import { monoSound } from '../sound/player'
import type { Range } from './useCompCell'

/** A take of a phrase heard in its place: from a beat before, running into what follows, among the other parts. */
export function useTryOut(partId: string) {
  const { session } = useOpenSession()
  const { setHeardBeside } = useChoice()
  const { player, begin, stop, sounds } = useOwnPlaying()
  const cueId = useHearing().cue?.id
  const { playing } = usePlayer()
  const [tried, setTried] = useState<{ take: Take; range: Range; looks: string[]; dry: boolean } | null>(null)

  const hear = useCallback(
    (take: Take, range: Range, dry: boolean) =>
      begin(async (wanted) => {
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
      }),
    [player, begin, partId, session.id, cueId],
  )

  // What is heard is told at the deck.
  const on = tried && playing ? tried : null
  const said = on && { name: `take ${on.take.number}`, detail: `in its place${on.dry ? ', dry' : ''}` }
  const saidAs = said && `${said.name} ${said.detail}`
  useEffect(() => {
    setHeardBeside(said)
    return () => setHeardBeside(null)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [saidAs])

  return { hear, stop, sounds, tried: on }
}
