import { useCallback, useEffect, useState } from 'react'
import { type Comp, type Take, answered, api } from '../api/client'
import { useChoice, usePlayer } from '../desk/Choice'
import { useHearing } from '../desk/Hearing'
import { useOpenSession } from '../desk/OpenSession'
import { useOwnPlaying } from '../desk/useOwnPlaying'
import { besideOf } from '../desk/Transport'
import { monoSound } from '../sound/player'
import { fetchAhead } from '../sound/stream'
import { queryClient } from '../api/queries'
import type { Range } from './useCompCell'

// The server forgets what nobody plays.
const KEPT_MS = 60_000

const states = new WeakMap<Comp, number>()
let lastState = 0

/** Tells a comp from every other: one that was asked for again and is the same stays the same object. */
function stateOf(comp: Comp) {
  const state = states.get(comp) ?? ++lastState
  states.set(comp, state)
  return state
}

/** A take in its place in a comp as it is; a changed comp is another one. */
const tryOf = (comp: Comp, take: Take, { from_frame, to_frame }: Range, dry: boolean) => ({
  queryKey: ['tried', stateOf(comp), take.id, from_frame, to_frame, dry],
  retry: false,
  staleTime: KEPT_MS,
  gcTime: KEPT_MS,
  queryFn: () =>
    answered(
      api.GET('/api/parts/{part_id}/comp/try', {
        params: { path: { part_id: comp.part_id }, query: { take_id: take.id, from_frame, to_frame, dry } },
      }),
    ),
})

/** What plays beside it, looked up once for somebody who goes from cell to cell. */
const besideNow = (sessionId: string, cueId: string | undefined, partId: string) => ({
  queryKey: ['playing', sessionId, cueId, partId],
  staleTime: KEPT_MS,
  gcTime: KEPT_MS,
  queryFn: () => besideOf(sessionId, cueId, partId),
})

/** A take of a phrase heard in its place: from a beat before, running into what follows, among the other parts. */
export function useTryOut(comp: Comp) {
  const partId = comp.part_id
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
          queryClient.fetchQuery(tryOf(comp, take, range, dry)),
          queryClient.fetchQuery(besideNow(session.id, cueId, partId)),
        ])
        if (!wanted()) return
        setTried({ take, range, looks: found.looks, dry })
        const around: [number, number] = [found.from_frame, found.to_frame]
        await player.play([monoSound('tried', found.sound, 0)], 'tried', around[0], around, null, beside)
      }),
    [player, begin, comp, partId, session.id, cueId],
  )

  /** Have cells ready to be heard: what is joined for them is found before anybody asks. */
  const prepare = useCallback(
    async (cells: { take: Take; range: Range }[], dry: boolean) => {
      try {
        const beside = await queryClient.fetchQuery(besideNow(session.id, cueId, partId))
        for (const { take, range } of cells) {
          const found = await queryClient.fetchQuery(tryOf(comp, take, range, dry))
          const loop: [number, number] = [found.from_frame, found.to_frame]
          const heard = monoSound('tried', found.sound, 0).channels
          const others = beside.flatMap(({ channels }) => channels)
          await fetchAhead([...heard, ...others], loop, session.rate_hz)
        }
      } catch {
        // What cannot be heard says so to who asks for it.
      }
    },
    [comp, partId, session.id, session.rate_hz, cueId],
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

  return { hear, prepare, stop, sounds, tried: on }
}
