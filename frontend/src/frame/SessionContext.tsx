import { createContext, useContext, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { type Comparison, type Part, type Session, type Sheet, type Take, answered, api } from '../api/client'
import { notice, playedSpan, useLive } from '../api/live'
import { orSay } from '../api/acts'
import { queryClient, useComparison, useSheet, useTakes } from '../api/queries'
import { barBeat, barOne } from '../signal/format'
import { heardFirst } from '../sound/heardFirst'
import { type BesideSound, Player, type PlayerSound } from '../sound/player'
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
  /** Only what is chosen is heard, without the other parts. */
  alone: boolean
  toggleAlone: () => void
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

const ALONE_KEY = 'fatsignal.alone'

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
  const player = useMemo(() => {
    const made = new Player(session.rate_hz)
    made.setAlone(localStorage.getItem(ALONE_KEY) === 'yes')
    return made
  }, [session.rate_hz])
  const { alone } = useSyncExternalStore(player.subscribe, player.snapshot)
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
  const sounds = comparison?.sounds ?? []
  const heard = (sounds.find((sound) => sound.key === wanted) ?? heardFirst(sounds))?.key

  const rolling = useRolling({
    sessionId: session.id,
    sectionId,
    frameNow: () => player.frameNow(),
    before: () => player.state.playing && player.stop(),
  })

  // What is rolled stays chosen when it is over: the next press rolls it again, whatever else is still missing.
  const span = live.rolling && playedSpan(live.rolling)
  const within = span
    ? lines.filter((entry) => entry.from_frame < span.to_frame && entry.to_frame > span.from_frame)
    : []
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

  /** What is beside a part, or the whole song: as it is now, as loud as the listener has set it. */
  async function besideOf(partId: string | null): Promise<BesideSound[]> {
    const tracks = await answered(
      api.GET('/api/sessions/{session_id}/playing', {
        params: { path: { session_id: session.id }, query: cue ? { cue_id: cue.id } : {} },
      }),
    )
    return tracks
      .filter((track) => partId === null || track.part_id !== partId)
      .map((track) => ({
        key: track.key,
        channels: track.channels.map(({ sound_url, left, right }) => ({ url: sound_url, left, right })),
        fromFrame: track.from_frame,
        toFrame: track.to_frame,
      }))
  }

  /** The chosen take among the other parts where the playhead lies in it, else the song as it is. */
  async function play(frame: number) {
    const inside = take && comparison && heard && frame >= take.window_from_frame && frame < take.window_to_frame
    if (loops && take && comparison && heard) {
      // A loop goes round without the song, which would run away from it.
      const window: [number, number] = [take.window_from_frame, take.window_to_frame]
      const from = inside ? frame : take.window_from_frame
      return player.play(playerSounds(), heard, from, window, clicks ? countInBefore(session, from) : null)
    }
    const beside = await besideOf(inside ? take.part_id : null)
    const countIn = clicks ? countInBefore(session, frame) : null
    if (!inside) {
      if (beside.some((sound) => sound.toFrame > frame)) return player.play([], null, frame, null, countIn, beside)
      // Nothing sounds from here on: what is chosen is meant.
      if (!take || !comparison || !heard) return notice('nothing is recorded here yet: there is nothing to play')
      player.seek(take.window_from_frame)
      return play(take.window_from_frame)
    }
    // What is compared is brought to one loudness: the song follows, so that the balance stays.
    return player.play(playerSounds(), heard, frame, null, countIn, beside, heardFirst(sounds)?.gain_db ?? 0)
  }

  /** Where playing begins: where it stopped or was put; at first where the chosen section begins. */
  function playhead() {
    return player.frameNow() || line?.from_frame || barOne(session)
  }

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
      goTo(all.find((entry) => entry.id === id))
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
    playOrStop: () =>
      player.state.playing || player.state.loading ? player.stop() : void orSay(() => play(playhead())),
    alone,
    toggleAlone: () => {
      localStorage.setItem(ALONE_KEY, alone ? 'no' : 'yes')
      player.setAlone(!alone)
    },
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
