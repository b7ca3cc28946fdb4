import { createContext, useContext, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { type Comparison, type Part, type Session, type Sheet, type Take, answered, api } from '../api/client'
import { liveState, notice, useLive } from '../api/live'
import { queryClient, refreshTakes, useBackings, useComparison, useSheet, useTakes } from '../api/queries'
import { barBeat } from '../signal/format'
import { Player, type PlayerSound } from '../sound/player'

interface Desk {
  session: Session
  part: Part | undefined
  sheet: Sheet | undefined
  takes: Take[]
  takesPending: boolean
  sectionId: string | undefined
  chooseSection: (id: string) => void
  take: Take | undefined
  chooseTake: (id: string) => void
  comparison: Comparison | undefined
  heard: string | undefined
  hear: (key: string) => void
  hearDry: () => void
  player: Player
  playOrStop: () => void
  seek: (frame: number) => void
  loops: boolean
  toggleLoop: () => void
  clicks: boolean
  toggleClick: () => void
  rollOrStop: () => void
  binAndRoll: () => void
  bin: (take: Take) => void
  undo: () => void
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
  const [clicks, setClicks] = useState(true)
  const [binned, setBinned] = useState<string[]>([])

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
    ofPart.find((entry) => line?.take_ids.includes(entry.id)) ??
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

  // A roll that was entered is the take that is meant from now on.
  useEffect(() => {
    if (live.newestTake) {
      setTake(live.newestTake)
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

  async function roll() {
    if (!sectionId) return
    if (player.state.playing) player.stop()
    try {
      const began = await answered(
        api.POST('/api/sessions/{session_id}/roll', {
          params: { path: { session_id: session.id } },
          body: { section_id: sectionId },
        }),
      )
      if (clicks) await playClick(player, session, began)
      for (const sound of backingSounds) await playBeside(player, sound, began.from_frame)
    } catch (error) {
      notice((error as Error).message)
    }
  }

  async function stopRoll() {
    try {
      await answered(api.DELETE('/api/sessions/{session_id}/roll', { params: { path: { session_id: session.id } } }))
    } catch (error) {
      notice((error as Error).message)
    }
  }

  async function bin(target: Take) {
    try {
      await answered(api.POST('/api/takes/{take_id}/bin', { params: { path: { take_id: target.id } } }))
      setBinned((before) => [...before, target.id])
      notice(`Take ${target.number} is in the bin; U takes it out again`)
      refreshTakes()
    } catch (error) {
      notice((error as Error).message)
    }
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
    chooseTake: (id) => {
      if (id === take?.id) return
      player.stop()
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
    player,
    playOrStop: () => (player.state.playing || player.state.loading ? player.stop() : play(player.frameNow())),
    seek: (frame) => player.seek(frame),
    loops,
    toggleLoop: () => {
      setLoops(!loops)
      if (player.state.playing) player.stop()
    },
    clicks,
    toggleClick: () => setClicks(!clicks),
    rollOrStop: () => void (live.rolling ? stopRoll() : roll()),
    binAndRoll: () =>
      void (async () => {
        const last = ofPart[0]
        if (live.rolling) {
          // The pass that is thrown away is the one that rolls: it is stopped, entered, binned.
          const id = live.rolling.roll_id
          await stopRoll()
          const entered = await waitForTake(id)
          if (entered) await bin(entered)
        } else if (last) await bin(last)
        await roll()
      })(),
    bin: (target) => void bin(target),
    undo: () =>
      void (async () => {
        const last = binned.at(-1)
        if (!last) return
        await answered(api.DELETE('/api/takes/{take_id}/bin', { params: { path: { take_id: last } } }))
        setBinned((before) => before.slice(0, -1))
        refreshTakes()
      })(),
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

// The server renders up to two minutes of click at once.
const CLICK_S = 100

/** The click while rolling, laid to the frame that the engine last told; it ends with the roll. */
async function playClick(
  player: Player,
  session: Session,
  began: { from_frame: number; window_to_frame: number },
): Promise<void> {
  const piece = CLICK_S * session.rate_hz
  for (let from = began.from_frame; from < began.window_to_frame; from += piece) {
    const to = Math.min(from + piece, began.window_to_frame)
    const url = `/api/sessions/${session.id}/click.wav?from_frame=${from}&to_frame=${to}`
    const stop = await player.once(url, () => ((liveState().meters?.frame ?? from) - from) / session.rate_hz)
    const watch = setInterval(() => {
      if (liveState().rolling) return
      clearInterval(watch)
      stop()
    }, 50)
  }
}

/** A backing track while rolling, laid to the frame that the engine last told. */
async function playBeside(player: Player, sound: PlayerSound, from: number): Promise<void> {
  const now = () => (liveState().meters?.frame ?? from) - sound.fromFrame
  const stop = await player.once(sound.url, () => now() / player.rateHz, sound.gainDb)
  const watch = setInterval(() => {
    if (liveState().rolling) return
    clearInterval(watch)
    stop()
  }, 50)
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

async function waitForTake(id: string): Promise<Take | undefined> {
  for (let tries = 0; tries < 200; tries++) {
    const lists = queryClient.getQueriesData<Take[]>({ queryKey: ['takes'] })
    const found = lists.flatMap(([, list]) => list ?? []).find((take) => take.id === id)
    if (found) return found
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  return undefined
}
