import type { StreamedSound } from '../api/client'
import { SoundStream, type StreamedChannel, endOf } from './stream'

/**
 * Plays several versions of one stretch of sound at once and lets one be heard.
 *
 * All versions start at the same instant of the audio clock and run on together, so that switching is
 * a fade of a few milliseconds between two sounds at the same sample: no gap, no click, no jump.
 */
export interface PlayerSound {
  key: string
  channels: StreamedChannel[]
  gainDb: number
}

/** What sounds beside them, whatever of them is heard: other parts, backing tracks. */
export type BesideSound = Omit<PlayerSound, 'gainDb'>

/** A sound as the server tells where it is, so loud in either ear. */
export function streamedChannel(sound: StreamedSound, left: number, right: number): StreamedChannel {
  return { url: sound.sound_url, fromFrame: sound.from_frame, frames: sound.frames, left, right }
}

/** A sound of one channel, in both ears. */
export function monoSound(key: string, sound: StreamedSound, gainDb: number): PlayerSound {
  return { key, channels: [streamedChannel(sound, 1, 1)], gainDb }
}

/** A sound that may have a right side: it is the left then. */
export function soundOf(key: string, left: StreamedSound, right: StreamedSound | null | undefined, gainDb: number) {
  if (!right) return monoSound(key, left, gainDb)
  return { key, channels: [streamedChannel(left, 1, 0), streamedChannel(right, 0, 1)], gainDb }
}

/** A click that counts in before the sounds begin. */
export interface CountIn {
  url: string
  frames: number
}

export interface PlayerState {
  playing: boolean
  loading: boolean
  heard: string | null
  frame: number
  problem: string | null
  /** What is beside is silent. */
  alone: boolean
}

const SWITCH_S = 0.006
// Fades are told to the audio thread this long ahead: told late, one of the two might begin a block after the other.
const AHEAD_S = 0.012
const START_S = 0.03
const MOST_KEPT = 8
const BESIDE = 'beside'

export class Player {
  private context: AudioContext | null = null
  private buffers = new Map<string, Promise<AudioBuffer>>()
  private running: Running[] = []
  private fadedAt = 0
  private sounds: PlayerSound[] = []
  private loop: [number, number] | null = null
  private startedAt = 0
  private startFrame = 0
  private round = 0
  private listeners = new Set<() => void>()
  private beside: BesideSound[] = []
  private besideGainDb = 0
  private ending: ReturnType<typeof setTimeout> | undefined
  state: PlayerState = { playing: false, loading: false, heard: null, frame: 0, problem: null, alone: false }

  constructor(readonly rateHz: number) {}

  subscribe = (listener: () => void) => {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  snapshot = () => this.state

  private set(changes: Partial<PlayerState>) {
    this.state = { ...this.state, ...changes }
    for (const listener of this.listeners) listener()
  }

  /** The audio context, for those who look at what comes out. */
  audio(): AudioContext {
    this.context ??= new AudioContext({ sampleRate: this.rateHz, latencyHint: 'interactive' })
    return this.context
  }

  /** Frame of the session that sounds now. */
  frameNow(): number {
    if (!this.state.playing || !this.context) return this.state.frame
    const passed = Math.max(0, this.context.currentTime - this.startedAt) * this.rateHz
    const frame = this.startFrame + passed
    if (!this.loop || frame < this.loop[1]) return Math.round(frame)
    const [from, to] = this.loop
    return Math.round(from + ((frame - from) % (to - from)))
  }

  private buffer(url: string): Promise<AudioBuffer> {
    let kept = this.buffers.get(url)
    if (!kept) {
      kept = fetch(url).then(async (response) => {
        if (!response.ok) {
          const body = (await response.json().catch(() => null)) as { detail?: string } | null
          throw new Error(body?.detail ?? 'this sound cannot be loaded')
        }
        return this.audio().decodeAudioData(await response.arrayBuffer())
      })
      kept.catch(() => this.buffers.delete(url))
      this.buffers.set(url, kept)
      const oldest = this.buffers.keys().next().value
      if (this.buffers.size > MOST_KEPT && oldest) this.buffers.delete(oldest)
    }
    return kept
  }

  /** It is about to play, once what sounds is known; tells whether that is wanted still, or was stopped meanwhile. */
  announce(): () => boolean {
    const round = ++this.round
    this.set({ loading: true, problem: null })
    return () => round === this.round
  }

  /**
   * Play from a frame of the session; the sound named `heard` is heard, the others run along silently. What is beside
   * sounds with all of them, by so many dB louder or softer as they are.
   */
  async play(
    sounds: PlayerSound[],
    heard: string | null,
    fromFrame: number,
    loop: [number, number] | null,
    countIn: CountIn | null = null,
    beside: BesideSound[] = [],
    besideGainDb = 0,
  ) {
    const round = ++this.round
    this.halt()
    this.set({ loading: true, problem: null, heard, frame: fromFrame })
    try {
      const context = this.audio()
      await context.resume()
      const counting = countIn ? await this.buffer(countIn.url) : null
      const all = [...sounds, ...beside.map((sound) => ({ ...sound, key: BESIDE }))]
      const streams = all.map(
        ({ channels }) =>
          new SoundStream(context, this.rateHz, channels, loop, (problem) => {
            if (round === this.round) this.set({ problem: problem.message })
          }),
      )
      await Promise.all(streams.map((stream) => stream.prepare(fromFrame)))
      if (round !== this.round) return
      this.sounds = sounds
      this.beside = beside
      this.besideGainDb = besideGainDb
      this.loop = loop
      this.startFrame = fromFrame
      // On a sample of the audio clock: pieces that follow each other meet without a seam.
      const counted = Math.ceil((context.currentTime + START_S) * this.rateHz)
      const startSample = counted + (countIn ? countIn.frames : 0)
      this.startedAt = startSample / this.rateHz
      if (counting) this.count(counting, counted / this.rateHz)
      for (const [index, stream] of streams.entries()) {
        const { key } = all[index]!
        const gain = context.createGain()
        const level = this.levelOf(key)
        gain.gain.value = level
        stream.output.connect(gain).connect(context.destination)
        stream.start(fromFrame, startSample)
        this.running.push({ key, gain, level, stop: (at) => stream.stop(at) })
      }
      if (!loop)
        this.endAt(Math.max(fromFrame, ...(sounds.length ? sounds : beside).map(({ channels }) => endOf(channels))))
      this.set({ playing: true, loading: false })
    } catch (error) {
      if (round === this.round) this.set({ loading: false, playing: false, problem: (error as Error).message })
    }
  }

  /** It is over where the longest of the sounds is; the song by itself where the last of it is. */
  private endAt(frame: number) {
    const round = this.round
    const leftS = this.startedAt - this.audio().currentTime + (frame - this.startFrame) / this.rateHz
    this.ending = setTimeout(() => round === this.round && this.stop(), 1000 * leftS)
  }

  /** Hear another of the sounds that run: at once, at the same place. */
  choose(key: string) {
    this.set({ heard: key })
    if (this.state.playing) this.fade((other) => this.levelOf(other))
  }

  /** Hear what is chosen alone, or with what is beside it again. */
  setAlone(alone: boolean) {
    this.set({ alone })
    if (this.state.playing && this.state.heard) this.choose(this.state.heard)
  }

  /** How loud one of those that run is. */
  private levelOf(key: string) {
    if (key === BESIDE) return this.state.alone ? 0 : amplitude(this.besideGainDb)
    const sound = this.sounds.find((entry) => entry.key === key)
    return sound && key === this.state.heard ? amplitude(sound.gainDb) : 0
  }

  private count(buffer: AudioBuffer, at: number) {
    const context = this.audio()
    const gain = context.createGain()
    const source = context.createBufferSource()
    source.buffer = buffer
    source.connect(gain).connect(context.destination)
    source.start(at)
    // It is stopped with everything else.
    this.running.push({ key: 'count-in', gain, level: 1, stop: (end) => stopped(source, end) })
  }

  /** Fade every running sound to its level, all at the same instant; returns when it is done. */
  private fade(levelOf: (key: string) => number): number {
    // A fade is never cut short: the next one waits the few milliseconds until it is over.
    const start = Math.max((this.context?.currentTime ?? 0) + AHEAD_S, this.fadedAt)
    this.fadedAt = start + SWITCH_S
    for (const sound of this.running) {
      sound.gain.gain.setValueAtTime(sound.level, start)
      sound.level = levelOf(sound.key)
      sound.gain.gain.linearRampToValueAtTime(sound.level, this.fadedAt)
    }
    return this.fadedAt
  }

  seek(frame: number) {
    if (this.state.playing)
      void this.play(this.sounds, this.state.heard, frame, this.loop, null, this.beside, this.besideGainDb)
    else this.set({ frame })
  }

  stop() {
    const frame = this.frameNow()
    this.round++
    this.halt()
    this.set({ playing: false, loading: false, frame })
  }

  private halt() {
    const end = this.fade(() => 0)
    for (const sound of this.running) sound.stop(end)
    this.running = []
    clearTimeout(this.ending)
  }

  /** Play one sound once beside everything else: the click while rolling. Returns what stops it. */
  async once(url: string, offsetS: () => number, gainDb = 0): Promise<() => void> {
    const context = this.audio()
    await context.resume()
    const buffer = await this.buffer(url)
    const source = context.createBufferSource()
    const gain = context.createGain()
    gain.gain.value = amplitude(gainDb)
    source.buffer = buffer
    source.connect(gain).connect(context.destination)
    const offset = offsetS()
    if (offset < buffer.duration) source.start(context.currentTime + Math.max(0, -offset), Math.max(0, offset))
    return () => source.stop()
  }
}

interface Running {
  key: string
  gain: GainNode
  level: number
  stop: (at: number) => void
}

function stopped(source: AudioBufferSourceNode, at: number) {
  source.onended = null
  source.stop(at)
}

export function amplitude(gainDb: number) {
  return 10 ** (gainDb / 20)
}
