import { useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import type { Comparison, SheetLine, Take } from '../api/client'
import { playedSpan, useLive } from '../api/live'
import { useComparison } from '../api/queries'
import { barOne } from '../ui/format'
import { Player } from '../sound/player'
import { contextOf } from './contextOf'
import { useOpenSession } from './OpenSession'
import { type FrameStore, followFrame, frameStore } from './frameStore'

/** What is meant: a section, a take, and which of its sounds is heard. */
interface Choice {
  player: Player
  frameStore: FrameStore
  sectionId: string | undefined
  /** The chosen section's line of the sheet, and the takes that play in it, the newest first. */
  line: SheetLine | undefined
  rows: Take[]
  chooseSection: (id: string) => void
  take: Take | undefined
  /** Choose a take; what sounds stops, unless it goes on. */
  chooseTake: (id: string, how?: { goesOn: boolean }) => void
  comparison: Comparison | undefined
  heard: string | undefined
  hear: (key: string) => void
  hearDry: () => void
  /** What is heard instead, while takes are held against each other. */
  heardBeside: HeardBeside | null
  setHeardBeside: (said: HeardBeside | null) => void
  /** Where playing begins: where it stopped or was put; at first where the chosen section begins. */
  playhead: () => number
}

interface HeardBeside {
  name: string
  detail: string
}

const [Provide, useChoice] = contextOf<Choice>('what is chosen')
export { useChoice }

export const ALONE_KEY = 'fatsignal.alone'

/** Whether the player plays, what of it is heard, and where it stopped. */
export function usePlayer() {
  const { player } = useChoice()
  return useSyncExternalStore(player.subscribe, player.snapshot)
}

export function ChoiceProvider({ children }: { children: React.ReactNode }) {
  const { session, part, sheet, takes } = useOpenSession()
  const player = useMemo(() => {
    const made = new Player(session.rate_hz)
    made.setAlone(localStorage.getItem(ALONE_KEY) === 'yes')
    return made
  }, [session.rate_hz])
  const frames = useMemo(() => frameStore(player), [player])
  useEffect(() => followFrame(player, frames), [player, frames])
  const [ofPart, setOfPart] = useState(part?.id)
  const [section, setSection] = useState<string>()
  const [chosenTake, setTake] = useState<string>()
  const [wanted, setWanted] = useState<string>()
  const [beforeDry, setBeforeDry] = useState<string>()
  const [heardBeside, setHeardBeside] = useState<HeardBeside | null>(null)

  // Another part begins where it wants to begin.
  if (ofPart !== part?.id) {
    setOfPart(part?.id)
    setSection(undefined)
    setTake(undefined)
  }

  const lines = useMemo(() => sheet?.lines ?? [], [sheet])
  // Until the player chooses: the first section with bars missing, else the first.
  const sectionId = section ?? (lines.find((line) => line.missing_bars) ?? lines[0])?.section.id

  // What is rolled stays chosen when it is over: the next press rolls it again, whatever else is still missing.
  const rolling = useLive((live) => live.rolling)
  const [seenRoll, setSeenRoll] = useState<string>()
  if (rolling && rolling.roll_id !== seenRoll) {
    const { from_frame, to_frame } = playedSpan(rolling)
    const within = lines.filter((entry) => entry.from_frame < to_frame && entry.to_frame > from_frame)
    const rolled = within.find((entry) => entry.section.id === sectionId) ?? within[0]
    if (rolled) {
      // Once a roll: whoever looks at another section meanwhile stays there.
      setSeenRoll(rolling.roll_id)
      setSection(rolled.section.id)
    }
  }

  // A roll that was entered is the take that is meant from now on; of several parts that of the one that is shown.
  const newest = useLive((live) => live.newestTake)
  const [seenTake, setSeenTake] = useState(newest)
  if (newest !== seenTake) {
    setSeenTake(newest)
    if (newest?.part_id === part?.id) {
      setTake(newest?.take_id)
      setWanted(undefined)
    }
  }

  const line = lines.find((entry) => entry.section.id === sectionId)
  const rows = useMemo(() => takes.filter((entry) => line?.take_ids.includes(entry.id)), [takes, line])
  const there = useMemo(() => takes.filter((take) => !take.binned), [takes])
  const take =
    there.find((entry) => entry.id === chosenTake) ??
    there.find((entry) => entry.id === line?.first_take_id) ??
    there.find((entry) => entry.part_id === part?.id)
  const comparison = useComparison(take?.id).data
  const heard = comparison?.sounds.some((sound) => sound.key === wanted)
    ? wanted
    : (comparison?.heard_first ?? undefined)

  const value = useMemo(() => {
    const playhead = () => player.frameNow() || line?.from_frame || barOne(session)

    /** Whoever chooses a take wants to hear it: the playhead goes to it, unless it is there already. */
    function goTo(chosen: Take | undefined) {
      const at = playhead()
      if (!chosen || player.state.playing || (at >= chosen.window_from_frame && at < chosen.window_to_frame)) return
      player.seek(chosen.window_from_frame)
    }

    function hear(key: string) {
      goTo(take)
      setWanted(key)
      player.choose(key)
    }

    return {
      player,
      frameStore: frames,
      sectionId,
      line,
      rows,
      chooseSection: (id: string) => {
        setSection(id)
        setTake(undefined)
        const from = lines.find((entry) => entry.section.id === id)?.from_frame
        if (from !== undefined && !player.state.playing) player.seek(from)
      },
      take,
      chooseTake: (id: string, how?: { goesOn: boolean }) => {
        goTo(there.find((entry) => entry.id === id))
        if (id === take?.id) return
        if (!how?.goesOn) player.stop()
        setTake(id)
        setWanted(undefined)
      },
      comparison,
      heard,
      hear,
      hearDry: () => {
        const dry = comparison?.sounds.find((sound) => sound.kind === 'di')?.key
        if (!dry) return
        if (heard === dry) {
          if (beforeDry) hear(beforeDry)
        } else {
          setBeforeDry(heard)
          hear(dry)
        }
      },
      heardBeside,
      setHeardBeside,
      playhead,
    }
  }, [session, lines, line, rows, there, player, frames, sectionId, take, comparison, heard, beforeDry, heardBeside])
  return <Provide value={value}>{children}</Provide>
}
