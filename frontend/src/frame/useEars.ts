import { useEffect, useMemo, useRef, useState } from 'react'
import { orSay } from '../api/acts'
import { type Cue, type CueMix, answered, api } from '../api/client'
import { useLive } from '../api/live'
import { queryClient, useCues } from '../api/queries'
import { Ears } from '../sound/ears'
import type { Player } from '../sound/player'

const CHOSEN_KEY = 'fatsignal.cue'

/** Whose ears these are: the chosen cue, its mix, and listening to it. */
export function useEars(sessionId: string, player: Player) {
  const { engine } = useLive()
  const ears = useMemo(() => new Ears(player.rateHz, () => player.audio()), [player])
  const all = useCues(sessionId).data
  const [chosen, setChosen] = useState(() => localStorage.getItem(CHOSEN_KEY))
  const [wanted, setWanted] = useState(true)
  const [trying, setTrying] = useState(false)
  const cue = all?.cues.find((entry) => entry.id === chosen) ?? all?.cues[0]
  const path = { path: { session_id: sessionId } }

  useEffect(() => () => ears.close(), [ears])

  // A browser lets sound out after the first press; from then on the ears are open, so that no count-in is missed.
  const open = useRef(() => {})
  open.current = () => void orSay(listen)
  useEffect(() => {
    const pressed = () => open.current()
    window.addEventListener('pointerdown', pressed)
    window.addEventListener('keydown', pressed)
    return () => {
      window.removeEventListener('pointerdown', pressed)
      window.removeEventListener('keydown', pressed)
    }
  }, [])

  /** Listen, as soon as there is something to be heard; a browser lets sound out only after a press. */
  async function listen() {
    if (wanted && cue) await ears.open(cue.id)
  }

  async function stand(by: boolean) {
    setTrying(by)
    if (by) {
      await listen()
      await answered(api.POST('/api/sessions/{session_id}/standby', { params: path }))
    } else await answered(api.DELETE('/api/sessions/{session_id}/standby', { params: path }))
  }

  // An engine that was started anew stands by again.
  useEffect(() => {
    if (engine === 'ready' && trying) void orSay(() => stand(true))
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [engine])

  return {
    ears,
    cues: all,
    cue,
    listens: wanted,
    trying,
    listen,
    chooseCue: (id: string) => {
      localStorage.setItem(CHOSEN_KEY, id)
      setChosen(id)
      if (ears.state.on) void ears.open(id)
    },
    toggleListening: () => {
      if (wanted) {
        ears.close()
        if (trying) void orSay(() => stand(false))
      }
      setWanted(!wanted)
    },
    toggleTrying: () => void orSay(() => stand(!trying)),
    setMix: (of: Cue, changes: Partial<CueMix>) =>
      void orSay(async () => {
        const next = { ...of, mix: { ...of.mix, ...changes } }
        queryClient.setQueryData<typeof all>(
          ['cues', sessionId],
          (old) => old && { ...old, cues: old.cues.map((entry) => (entry.id === of.id ? next : entry)) },
        )
        await answered(
          api.PUT('/api/cues/{cue_id}', {
            params: { path: { cue_id: of.id } },
            body: { name: of.name, mix: next.mix },
          }),
        )
      }),
  }
}
