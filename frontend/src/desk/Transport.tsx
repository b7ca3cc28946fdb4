import { useEffect, useMemo, useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Session, answered, api } from '../api/client'
import { notice } from '../api/live'
import { barBeat } from '../ui/format'
import { type BesideSound, soundOf, streamedChannel } from '../sound/player'
import { ALONE_KEY, useChoice, usePlayer } from './Choice'
import { contextOf } from './contextOf'
import { useHearing } from './Hearing'
import { useOpenSession } from './OpenSession'

/** Playing what is chosen, by the deck's buttons and keys. */
interface Transport {
  playOrStop: () => void
  seek: (frame: number) => void
  /** Only what is chosen is heard, without the other parts. */
  alone: boolean
  toggleAlone: () => void
  /** The part that is shown is silent in the listener's mix. */
  muted: boolean
  toggleMute: () => void
  loops: boolean
  toggleLoop: () => void
  clicks: boolean
  toggleClick: () => void
}

const [Provide, useTransport] = contextOf<Transport>('the transport')
export { useTransport }

export function TransportProvider({ children }: { children: React.ReactNode }) {
  const { session, part } = useOpenSession()
  const { player, take, comparison, heard, playhead } = useChoice()
  const { cue, changeMix, changeStrip } = useHearing()
  const { alone, problem } = usePlayer()
  const [loops, setLoops] = useState(false)
  const clicks = !cue?.mix.click.muted
  const muted = (part && cue?.mix.strips?.[part.id]?.muted) ?? false

  useEffect(() => {
    if (problem) notice(problem)
  }, [problem])

  const value = useMemo(() => {
    const sounds = (comparison?.sounds ?? []).map((sound) => soundOf(sound.key, sound, sound.right, sound.gain_db))
    const first = comparison?.sounds.find((sound) => sound.key === comparison.heard_first)

    /** The chosen take among the other parts where the playhead lies in it, else the song as it is. */
    async function play(frame: number, wanted: () => boolean): Promise<void> {
      const inside = take && heard && frame >= take.window_from_frame && frame < take.window_to_frame
      if (loops && take && heard) {
        // A loop goes round without the song, which would run away from it.
        const window: [number, number] = [take.window_from_frame, take.window_to_frame]
        const from = inside ? frame : take.window_from_frame
        return player.play(sounds, heard, from, window, clicks ? countInBefore(session, from) : null)
      }
      const beside = await besideOf(session.id, cue?.id, inside ? take.part_id : null)
      if (!wanted()) return
      const countIn = clicks ? countInBefore(session, frame) : null
      // What is compared is brought to one loudness: the song follows, so that the balance stays.
      if (inside) return player.play(sounds, heard, frame, null, countIn, beside, first?.gain_db ?? 0)
      const goesOn = beside.some(({ channels }) =>
        channels.some((channel) => channel.fromFrame + channel.frames > frame),
      )
      if (goesOn) return player.play([], null, frame, null, countIn, beside)
      // Nothing sounds from here on: what is chosen is meant.
      if (!take || !heard) throw new Error('nothing is recorded here yet: there is nothing to play')
      player.seek(take.window_from_frame)
      return play(take.window_from_frame, wanted)
    }

    /** From where the playhead is; a second press stops it, also while it is being looked up what sounds. */
    async function playFromHere() {
      const wanted = player.announce()
      try {
        await play(playhead(), wanted)
      } catch (error) {
        if (wanted()) player.stop()
        throw error
      }
    }

    return {
      playOrStop: () =>
        player.state.playing || player.state.loading ? player.stop() : void reportErrors(playFromHere),
      seek: (frame: number) => player.seek(frame),
      alone,
      toggleAlone: () => {
        localStorage.setItem(ALONE_KEY, alone ? 'no' : 'yes')
        player.setAlone(!alone)
      },
      muted,
      toggleMute: () =>
        void reportErrors(async () => {
          if (!part) return notice('there is no part yet that could be muted: add one in Rig')
          await changeStrip(part.id, (strip) => ({ muted: !strip.muted }))
          // What sounds was asked for as loud as it was then.
          if (player.state.playing) await play(playhead(), () => player.state.playing)
        }),
      loops,
      toggleLoop: () => {
        setLoops(!loops)
        if (player.state.playing) player.stop()
      },
      clicks,
      toggleClick: () => void changeMix(({ click }) => ({ click: { ...click, muted: !click.muted } })),
    }
  }, [
    session,
    player,
    take,
    comparison,
    heard,
    playhead,
    cue,
    changeMix,
    changeStrip,
    alone,
    loops,
    clicks,
    part,
    muted,
  ])
  return <Provide value={value}>{children}</Provide>
}

/** What is beside a part, or the whole song: as it is now, as loud as the listener has set it. */
export async function besideOf(
  session_id: string,
  cueId: string | undefined,
  partId: string | null,
): Promise<BesideSound[]> {
  const tracks = await answered(
    api.GET('/api/sessions/{session_id}/playing', {
      params: { path: { session_id }, query: cueId ? { cue_id: cueId } : {} },
    }),
  )
  return tracks
    .filter((track) => partId === null || track.part_id !== partId)
    .map(({ key, channels }) => ({
      key,
      channels: channels.map((channel) => streamedChannel(channel, channel.left, channel.right)),
    }))
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
