import { createContext, useContext, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { type Comparison, type Part, type Session, type Sheet, type Take, answered, api } from '../api/client'
import { notice, playedSpan, useLive } from '../api/live'
import { queryClient, useBackings, useComparison, useSheet, useTakes } from '../api/queries'
import { barBeat } from '../signal/format'
import { Player, type PlayerSound } from '../sound/player'
import { useEars } from './useEars'
import { useHistory } from './useHistory'
import { useRolling } from './useRolling'

interface Desk {
  session: Session
  part: Part | undefined
  sheet: Sheet | undefined
  takes: Take[]
  takesPending: boolean
  sectionId: string | undefined
  chooseSection: (id: string) => void
  take: Take | undefined
  /** Choose a take; what sounds stops, unless it goes on. */
  chooseTake: (id: string, how?: { goesOn: boolean }) => void
  comparison: Comparison | undefined
  heard: string | undefined
  hear: (key: string) => void
  hearDry: () => void
  /** What is heard instead, while takes are held against each other. */
  heardBeside: { name: string; detail: string } | null
  setHeardBeside: (said: { name: string; detail: string } | null) => void
  player: Player
  playOrStop: () => void
  seek: (frame: number) => void
  loops: boolean
  toggleLoop: () => void
  clicks: boolean
  toggleClick: () => void
  rolling: ReturnType<typeof useRolling>
  hearing: ReturnType<typeof useEars>
  history: ReturnType<typeof useHistory>
  arm: (partId: string) => void
}

const Context = createContext<Desk | null>(null)

export function useDesk(): Desk {
  const desk = useContext(Context)
  if (!desk) throw new Error('useDesk needs a SessionProvider')
  return desk
}

export function usePlayer() {
  const { player } = useDesk()
  return useSyncExternalStore(player.subscribe, player.snapshot)
}

/** What is chosen in the session, and the acts of the deck that work in every station. */
export function SessionProvider({ session, children }: { session: Session; children: React.ReactNode }) {
  const live = useLive()
  const player = useMemo(() => new Player(session.rate_hz), [session.rate_hz])
  const part = session.parts.find((entry) => entry.armed) ?? session.parts[0]
  const sheet = useSheet(session.id, part?.id)
  const takes = useTakes(session.id)
  const [section, setSection] = useState<string>()
  const [chosenTake, setTake] = useState<string>()
  const [wanted, setWanted] = useState<string>()
  const [beforeDry, setBeforeDry] = useState<string>()
  const [loops, setLoops] = useState(false)
  const [heardBeside, setHeardBeside] = useState<Desk['heardBeside']>(null)
  const hearing = useEars(session.id, player)
  const { cue } = hearing
  const clicks = !cue?.mix.click.muted
  const history = useHistory(session.id)

  const ofPart = useMemo(
    () => (takes.data ?? []).filter((take) => take.part_id === part?.id && !take.binned),
    [takes.data, part?.id],
  )
  const lines = sheet.data?.lines ?? []
  // Until the player chooses: the first section with bars missing, else the first.
  const sectionId = section ?? (lines.find((line) => line.missing_bars) ?? lines[0])?.section.id
  const line = lines.find((entry) => entry.section.id === sectionId)
  const all = takes.data ?? []
  const take =
    all.find((entry) => entry.id === chosenTake && !entry.binned) ??
    ofPart.find((entry) => entry.id === line?.first_take_id) ??
    ofPart[0]
  const comparison = useComparison(take?.id).data
  const backingSounds: PlayerSound[] = (useBackings(session.id).data ?? []).map((backing) => ({
    key: `backing-${backing.id}`,
    url: backing.audio_url,
    gainDb: backing.gain_db,
    fromFrame: backing.placed_frame,
    always: true,
  }))
  const sounds = comparison?.sounds ?? []
  const heard = (sounds.find((sound) => sound.key === wanted) ?? sounds.find((s) => s.kind === 'mic') ?? sounds[0])?.key

  const rolling = useRolling({
    sessionId: session.id,
    sectionId,
    frameNow: () => player.frameNow(),
    before: () => player.state.playing && player.stop(),
  })

  // What is rolled stays chosen when it is over: the next press rolls it again, whatever else is still missing.
  const span = live.rolling && playedSpan(live.rolling)
  const within = span ? lines.filter((entry) => entry.from_frame < span.to_frame && entry.to_frame > span.from_frame) : []
  const rolled = (within.find((entry) => entry.section.id === sectionId) ?? within[0])?.section.id
  const rollId = rolled && live.rolling?.roll_id
  useEffect(() => {
    // Once a roll: whoever looks at another section meanwhile stays there.
    if (rollId) setSection(rolled)
  }, [rollId])

  // A roll that was entered is the take that is meant from now on; of several parts that of the one that is shown.
  useEffect(() => {
    if (live.newestTake && live.newestTake.part_id === part?.id) {
      setTake(live.newestTake.take_id)
      setWanted(undefined)
    }
  }, [live.newestTake])

  useEffect(() => {
    const problem = player.state.problem
    if (problem) notice(problem)
  }, [player, player.state.problem])

  function playerSounds(): PlayerSound[] {
    return sounds.map((sound) => ({
      key: sound.key,
      url: sound.audio_url,
      gainDb: sound.gain_db,
      fromFrame: comparison!.from_frame,
    }))
  }

  function play(frame: number) {
    if (!take || !comparison || !heard) return
    const inside = frame >= take.window_from_frame && frame < take.window_to_frame
    const window: [number, number] = [take.window_from_frame, take.window_to_frame]
    const from = inside ? frame : take.window_from_frame
    // A loop goes round without the song: its backing track would run away from it.
    const beside = loops ? [] : backingSounds
    const countIn = clicks ? countInBefore(session, from) : null
    void player.play([...playerSounds(), ...beside], heard, from, loops ? window : null, countIn)
  }

  function hear(key: string) {
    setWanted(key)
    player.choose(key)
  }

  const desk: Desk = {
    session,
    part,
    sheet: sheet.data,
    takes: all,
    takesPending: takes.isPending,
    sectionId,
    chooseSection: (id) => {
      setSection(id)
      setTake(undefined)
      const from = lines.find((entry) => entry.section.id === id)?.from_frame
      if (from !== undefined && !player.state.playing) player.seek(from)
    },
    take,
    chooseTake: (id, how) => {
      if (id === take?.id) return
      if (!how?.goesOn) player.stop()
      setTake(id)
      setWanted(undefined)
    },
    comparison,
    heard,
    hear,
    hearDry: () => {
      const dry = sounds.find((sound) => sound.kind === 'di')?.key
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
    player,
    playOrStop: () => (player.state.playing || player.state.loading ? player.stop() : play(player.frameNow())),
    seek: (frame) => player.seek(frame),
    loops,
    toggleLoop: () => {
      setLoops(!loops)
      if (player.state.playing) player.stop()
    },
    clicks,
    toggleClick: () => cue && hearing.setMix(cue, { click: { ...cue.mix.click, muted: !cue.mix.click.muted } }),
    rolling,
    hearing,
    history,
    arm: (partId) =>
      void (async () => {
        await answered(
          api.POST('/api/sessions/{session_id}/parts/{part_id}/arm', {
            params: { path: { session_id: session.id, part_id: partId } },
          }),
        )
        setTake(undefined)
        setSection(undefined)
        await queryClient.invalidateQueries({ queryKey: ['session'] })
      })(),
  }
  return <Context.Provider value={desk}>{children}</Context.Provider>
}

/** The bars that count in before playing; they end on the frame where the sounds begin. */
function countInBefore(session: Session, frame: number) {
  const bars = session.click.play_count_in_bars
  if (!bars) return null
  const first = session.beat_bars.indexOf(Number(barBeat(frame, session).split('.')[0]))
  const before = session.beat_bars.indexOf(session.beat_bars[first]! - bars)
  if (first < 0 || before < 0) return null
  const frames = session.beat_frames[first]! - session.beat_frames[before]!
  const from = session.beat_frames[before]!
  return { url: `/api/sessions/${session.id}/click.wav?from_frame=${from}&to_frame=${from + frames}`, frames }
}
