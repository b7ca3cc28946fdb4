import { useEffect, useMemo, useRef, useState } from 'react'
import { reportErrors, showThenPut } from '../api/acts'
import { type Cue, type CueMix, type Cues, type Strip, answered, api } from '../api/client'
import { useLive } from '../api/live'
import { cuesQuery, queryClient, useCues } from '../api/queries'
import { Ears } from '../sound/ears'
import type { Player } from '../sound/player'

const CHOSEN_KEY = 'fatsignal.cue'

/** Whose ears these are: the chosen cue, its mix, and listening to it. */
export function useEars(sessionId: string, player: Player) {
  const engine = useLive((live) => live.engine)
  const ears = useMemo(() => new Ears(player.rateHz, () => player.audio()), [player])
  const all = useCues(sessionId).data
  const [chosen, setChosen] = useState(() => localStorage.getItem(CHOSEN_KEY))
  const [wanted, setWanted] = useState(true)
  const [trying, setTrying] = useState(false)
  const cue = all && chosenOf(all, chosen)
  const params = useMemo(() => ({ path: { session_id: sessionId } }), [sessionId])

  useEffect(() => () => ears.close(), [ears])

  const acts = useMemo(() => {
    /** Listen, as soon as there is something to be heard; a browser lets sound out only after a press. */
    async function listen() {
      if (wanted && cue) await ears.open(cue.id)
    }

    async function stand(by: boolean) {
      setTrying(by)
      if (by) {
        await listen()
        await answered(api.POST('/api/sessions/{session_id}/standby', { params }))
      } else await answered(api.DELETE('/api/sessions/{session_id}/standby', { params }))
    }

    return {
      listen,
      standAgain: () => void reportErrors(() => stand(true)),
      chooseCue: (id: string) => {
        localStorage.setItem(CHOSEN_KEY, id)
        setChosen(id)
        if (ears.state.on) void ears.open(id)
      },
      toggleListening: () => {
        if (wanted) {
          ears.close()
          if (trying) void reportErrors(() => stand(false))
        }
        setWanted(!wanted)
      },
      toggleTrying: () => void reportErrors(() => stand(!trying)),
    }
  }, [ears, cue, wanted, trying, params])

  // A browser lets sound out after the first press; from then on the ears are open, so that no count-in is missed.
  const { listen, standAgain } = acts
  useEffect(() => {
    const pressed = () => void reportErrors(listen)
    window.addEventListener('pointerdown', pressed)
    window.addEventListener('keydown', pressed)
    return () => {
      window.removeEventListener('pointerdown', pressed)
      window.removeEventListener('keydown', pressed)
    }
  }, [listen])

  // An engine that was started anew stands by again.
  const again = useRef(() => {})
  useEffect(() => {
    again.current = () => trying && standAgain()
  }, [trying, standAgain])
  useEffect(() => {
    if (engine === 'ready') again.current()
  }, [engine])

  return useMemo(
    () => ({
      ...acts,
      ears,
      cues: all,
      cue,
      listens: wanted,
      trying,
      changeMix: (changes: ChangesOfMix) => reportErrors(() => putMix(sessionId, chosen, changes)),
      changeStrip: (key: string, changes: (strip: Strip) => Partial<Strip>) =>
        reportErrors(() =>
          putMix(sessionId, chosen, ({ strips }) => {
            const strip = strips?.[key] ?? PLAIN_STRIP
            return { strips: { ...strips, [key]: { ...strip, ...changes(strip) } } }
          }),
        ),
    }),
    [acts, ears, all, cue, wanted, trying, sessionId, chosen],
  )
}

/** A sound in a mix that nobody has touched. */
export const PLAIN_STRIP: Strip = { gain_db: 0, pan: 0, muted: false }

/** What is to be different, told from the mix as it is then. */
type ChangesOfMix = (mix: CueMix) => Partial<CueMix>

const chosenOf = ({ cues }: Cues, id: string | null) => cues.find((entry) => entry.id === id) ?? cues[0]

/** Show other levels at once, and put them; a key that was pressed before the mix has come waits for it. */
async function putMix(sessionId: string, chosen: string | null, changes: ChangesOfMix) {
  const options = cuesQuery(sessionId)
  const now = await queryClient.ensureQueryData(options)
  const cue = chosenOf(now, chosen)
  if (!cue) return
  const mix = { ...cue.mix, ...changes(cue.mix) }
  const withCue = (of: Cues, put: Cue): Cues => ({ ...of, cues: of.cues.map((old) => (old.id === put.id ? put : old)) })
  await showThenPut(options.queryKey, withCue(now, { ...cue, mix }), async () => {
    const put = await answered(
      api.PUT('/api/cues/{cue_id}', { params: { path: { cue_id: cue.id } }, body: { name: cue.name, mix } }),
    )
    return withCue(queryClient.getQueryData(options.queryKey) ?? now, put)
  })
}
