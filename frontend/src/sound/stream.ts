/**
 * A sound that is fetched piece by piece while it plays: a song of any length begins at once and takes no more memory than a
 * short one. Pieces lie on the audio clock's own samples, one right behind the other, so that no seam is heard.
 */
export interface StreamedChannel {
  /** Where its samples are, 32-bit floats; the first frame and how many are appended. */
  url: string
  left: number
  right: number
}

const PIECE_S = 2
const AHEAD_S = 5
const LOOK_MS = 200

export class SoundStream {
  private next: number
  private timer: ReturnType<typeof setTimeout> | undefined
  private ended = false
  private readonly merger: ChannelMergerNode
  private readonly sides: [GainNode, GainNode][]
  private readonly fetched = new Map<string, Promise<Float32Array<ArrayBuffer>>>()
  private readonly playing = new Set<AudioBufferSourceNode>()

  /** Frames count from the session's zero; `onProblem` is told once what goes wrong on the way. */
  constructor(
    private readonly context: AudioContext,
    private readonly rateHz: number,
    private readonly channels: StreamedChannel[],
    private readonly fromFrame: number,
    private readonly toFrame: number,
    private readonly onProblem: (problem: Error) => void,
  ) {
    this.next = fromFrame
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
    void this.pump(startFrame, startSample)
  }

  /** Let go; what sounds ends at a moment of the audio clock. */
  stop(at: number) {
    this.ended = true
    clearTimeout(this.timer)
    for (const source of this.playing) source.stop(at)
  }

  private async pump(startFrame: number, startSample: number) {
    try {
      while (!this.ended && this.next < this.toFrame) {
        const due = startSample + this.next - startFrame
        if (due > (this.context.currentTime + AHEAD_S) * this.rateHz) break
        const samples = await this.piece(this.next)
        if (this.ended) return
        this.schedule(samples, due)
        this.next += samples[0]!.length
      }
    } catch (error) {
      if (!this.ended) this.onProblem(error as Error)
      return
    }
    if (!this.ended && this.next < this.toFrame)
      this.timer = setTimeout(() => void this.pump(startFrame, startSample), LOOK_MS)
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
    const frames = Math.min(Math.round(PIECE_S * this.rateHz), this.toFrame - frame)
    return Promise.all(
      this.channels.map(({ url }) => {
        const address = `${url}&from_frame=${frame}&frames=${frames}`
        let kept = this.fetched.get(address)
        if (!kept) {
          kept = fetchSamples(address)
          this.fetched.set(address, kept)
          // Only what comes next is kept.
          if (this.fetched.size > 4) this.fetched.delete(this.fetched.keys().next().value!)
        }
        return kept
      }),
    )
  }
}

async function fetchSamples(address: string): Promise<Float32Array<ArrayBuffer>> {
  const response = await fetch(address)
  if (!response.ok) {
    const body = (await response.json().catch(() => null)) as { detail?: string } | null
    throw new Error(body?.detail ?? 'this sound cannot be loaded')
  }
  return new Float32Array(await response.arrayBuffer())
}
