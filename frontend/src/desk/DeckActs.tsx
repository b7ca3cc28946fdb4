import { useEffect, useMemo, useState } from 'react'
import { useLive } from '../api/live'
import { useRolling } from './Rolling'
import { useTransport } from './Transport'
import { contextOf } from './contextOf'

/** What a station puts in the place of the deck's two great acts. */
export interface StationActs {
  /** What is recorded here, as the button says it. */
  record: string
  roll: () => void
  binAndRoll: () => void
  playOrStop: () => void
  /** Whether what the station plays sounds; left out, the player says. */
  sounds?: boolean
}

interface DeckActs extends StationActs {
  setStationActs: (acts: StationActs | null) => void
}

const [Provide, useDeckActs] = contextOf<DeckActs>("the deck's acts")
export { useDeckActs }

/** Rolling and playing as the deck's buttons and the pedal do it: those of the desk, or of the station that has its own. */
export function DeckActsProvider({ children }: { children: React.ReactNode }) {
  const { rollOrStop, binAndRoll } = useRolling()
  const { playOrStop } = useTransport()
  const rolls = useLive((live) => live.rolling !== null)
  const [own, setOwn] = useState<StationActs | null>(null)
  const value = useMemo(
    () => ({
      record: own?.record ?? 'Roll',
      // Whatever rolls is stopped, on whichever station.
      roll: rolls || !own ? rollOrStop : own.roll,
      binAndRoll: own ? own.binAndRoll : binAndRoll,
      playOrStop: own ? own.playOrStop : playOrStop,
      sounds: own?.sounds,
      setStationActs: setOwn,
    }),
    [own, rolls, rollOrStop, binAndRoll, playOrStop],
  )
  return <Provide value={value}>{children}</Provide>
}

/** The acts of the station that is shown, for as long as it is. */
export function useStationActs(acts: StationActs) {
  const { setStationActs } = useDeckActs()
  const { record, roll, binAndRoll, playOrStop, sounds } = acts
  useEffect(
    () => setStationActs({ record, roll, binAndRoll, playOrStop, sounds }),
    [setStationActs, record, roll, binAndRoll, playOrStop, sounds],
  )
  useEffect(() => () => setStationActs(null), [setStationActs])
}
