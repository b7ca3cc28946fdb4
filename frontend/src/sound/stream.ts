/**
 * A sound that is fetched piece by piece while it plays: one of any length begins at once and takes no more memory than a
 * short one. Pieces lie on the audio clock's own samples, one right behind the other, so that no seam is heard.
 */
export interface StreamedChannel {
  /** Where its samples are, 32-bit floats; its first frame, counted from its own, and how many are appended. */
  url: string
  /** Where on the session's time line it lies. */
  fromFrame: number
  frames: number
  left: number
  right: number
}

const PIECE_S = 2
const AHEAD_S = 5
const LOOK_MS = 200

export class SoundStream {
  /** The frame of the session that is fetched next. */
  private next: number
  private timer: ReturnType<typeof setTimeout> | undefined
  private ended = false
  private readonly merger: ChannelMergerNode
  private readonly sides: [GainNode, GainNode][]
  private readonly fetched = new Map<string, Promise<Float32Array<ArrayBuffer>>>()
  private readonly playing = new Set<AudioBufferSourceNode>()
  private readonly fromFrame: number
  private readonly toFrame: number

  /**
   * Frames count from the session's zero. One that goes round and round goes on at the first frame of `loop` behind its
   * last, whatever of it is silent. `onProblem` is told once what goes wrong on the way.
   */
  constructor(
    private readonly context: AudioContext,
    private readonly rateHz: number,
    private readonly channels: StreamedChannel[],
    private readonly loop: [number, number] | null,
    private readonly onProblem: (problem: Error) => void,
  ) {
    this.fromFrame = loop ? loop[0] : Math.min(...channels.map((channel) => channel.fromFrame))
    this.toFrame = loop ? loop[1] : endOf(channels)
    this.next = this.fromFrame
    this.merger = context.createChannelMerger(2)
    this.sides = channels.map(({ left, right }) => {
      const sides = [left, right].map((value, side) => {
        const gain = context.createGain()
        gain.gain.value = value
        gain.connect(this.merger, 0, side)
        return gain
      })
      return sides as [GainNode, GainNode]
    })
  }

  get output(): AudioNode {
    return this.merger
  }

  /** Fetch the first piece from a frame on: afterwards it can start at once. */
  async prepare(frame: number) {
    this.next = Math.max(frame, this.fromFrame)
    if (this.next < this.toFrame) await this.piece(this.next)
  }

  /** Sound from now on: `startFrame` of the session sounds on sample `startSample` of the audio clock. */
  start(startFrame: number, startSample: number) {
    void this.pump(startSample + this.next - startFrame)
  }

  /** Let go; what sounds ends at a moment of the audio clock. */
  stop(at: number) {
    this.ended = true
    clearTimeout(this.timer)
    for (const source of this.playing) source.stop(at)
  }

  /** Schedule what is due within some seconds, from sample `due` of the audio clock on. */
  private async pump(due: number) {
    try {
      while (!this.ended && this.next < this.toFrame) {
        if (due > (this.context.currentTime + AHEAD_S) * this.rateHz) break
        const samples = await this.piece(this.next)
        if (this.ended) return
        this.schedule(samples, due)
        const frames = samples[0]!.length
        due += frames
        this.next += frames
        if (this.loop && this.next >= this.toFrame) this.next = this.fromFrame
      }
    } catch (error) {
      if (!this.ended) this.onProblem(error as Error)
      return
    }
    if (!this.ended && this.next < this.toFrame) this.timer = setTimeout(() => void this.pump(due), LOOK_MS)
  }

  private schedule(samples: Float32Array<ArrayBuffer>[], due: number) {
    for (const [index, channel] of samples.entries()) {
      const buffer = this.context.createBuffer(1, channel.length, this.rateHz)
      buffer.copyToChannel(channel, 0)
      const source = this.context.createBufferSource()
      source.buffer = buffer
      for (const side of this.sides[index]!) source.connect(side)
      // One that comes late goes on where the others are.
      const late = Math.max(0, Math.ceil(this.context.currentTime * this.rateHz) - due)
      if (late >= channel.length) continue
      source.start((due + late) / this.rateHz, late / this.rateHz)
      this.playing.add(source)
      source.onended = () => this.playing.delete(source)
    }
  }

  private piece(frame: number): Promise<Float32Array<ArrayBuffer>[]> {
    const frames = pieceFrames(frame, this.toFrame, this.rateHz)
    return Promise.all(
      this.channels.map((channel) => {
        const address = addressOf(channel, frame, frames)
        let kept = this.fetched.get(address)
        if (!kept) {
          kept = fetchSamples(address)
          this.fetched.set(address, kept)
          // Only what comes next is kept.
          if (this.fetched.size > MOST_KEPT) this.fetched.delete(this.fetched.keys().next().value!)
        }
        return kept
      }),
    )
  }
}

const MOST_KEPT = 4

const pieceFrames = (frame: number, toFrame: number, rateHz: number) =>
  Math.min(Math.round(PIECE_S * rateHz), toFrame - frame)

const addressOf = ({ url, fromFrame }: StreamedChannel, frame: number, frames: number) =>
  `${url}&from_frame=${frame - fromFrame}&frames=${frames}`

/** Have the browser keep the first piece of what will go round from a frame on: it begins sooner then. */
export async function fetchAhead(channels: StreamedChannel[], loop: [number, number], rateHz: number) {
  const frames = pieceFrames(loop[0], loop[1], rateHz)
  await Promise.all(channels.map((channel) => fetchSamples(addressOf(channel, loop[0], frames))))
}

/** The frame of the session behind the last that any of the channels has. */
export function endOf(channels: StreamedChannel[]): number {
  return Math.max(...channels.map((channel) => channel.fromFrame + channel.frames))
}

async function fetchSamples(address: string): Promise<Float32Array<ArrayBuffer>> {
  const response = await fetch(address)
  if (!response.ok) {
    const body = (await response.json().catch(() => null)) as { detail?: string } | null
    throw new Error(body?.detail ?? 'this sound cannot be loaded')
  }
  return new Float32Array(await response.arrayBuffer())
}
