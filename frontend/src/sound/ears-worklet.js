/**
 * Ears: plays what the engine mixes as it arrives. A little is kept waiting, so that a late piece leaves no hole; what
 * gathers beyond that is skipped with a short fade, so that the delay does not grow.
 */
const CHANNELS = 2
const RING_FRAMES = 1 << 16
const FADE_FRAMES = 256
const REPORT_FRAMES = 4800

class EarsProcessor extends AudioWorkletProcessor {
  constructor(options) {
    super()
    this.target = options.processorOptions.targetFrames
    this.ring = new Float32Array(RING_FRAMES * CHANNELS)
    this.read = 0
    this.write = 0
    this.flowing = false
    this.holes = 0
    this.skips = 0
    this.reported = 0
    this.port.onmessage = ({ data }) => this.take(data)
  }

  take(samples) {
    const frames = samples.length / CHANNELS
    for (let frame = 0; frame < frames; frame++) {
      const place = ((this.write + frame) % RING_FRAMES) * CHANNELS
      this.ring[place] = samples[frame * CHANNELS]
      this.ring[place + 1] = samples[frame * CHANNELS + 1]
    }
    this.write += frames
    if (this.write - this.read > RING_FRAMES) this.read = this.write - this.target
  }

  process(_, [out]) {
    const [left, right] = out
    const frames = left.length
    let waiting = this.write - this.read
    if (!this.flowing && waiting >= this.target) this.flowing = true
    if (this.flowing && waiting < frames) {
      this.flowing = false
      this.holes += 1
    }
    if (this.flowing && waiting > 4 * this.target) {
      this.skip(waiting - this.target)
      waiting = this.target
    }
    if (this.flowing) {
      for (let frame = 0; frame < frames; frame++) {
        const place = ((this.read + frame) % RING_FRAMES) * CHANNELS
        left[frame] = this.ring[place]
        if (right) right[frame] = this.ring[place + 1]
      }
      this.read += frames
    }
    this.reported += frames
    if (this.reported >= REPORT_FRAMES) {
      this.reported = 0
      this.port.postMessage({ waitingFrames: this.write - this.read, holes: this.holes, skips: this.skips })
    }
    return true
  }

  /** Go on later in what waits: what would have come next fades into what comes then. */
  skip(frames) {
    for (let frame = 0; frame < FADE_FRAMES; frame++) {
      const share = frame / FADE_FRAMES
      const from = ((this.read + frame) % RING_FRAMES) * CHANNELS
      const to = ((this.read + frames + frame) % RING_FRAMES) * CHANNELS
      for (let channel = 0; channel < CHANNELS; channel++)
        this.ring[to + channel] = share * this.ring[to + channel] + (1 - share) * this.ring[from + channel]
    }
    this.read += frames
    this.skips += 1
  }
}

registerProcessor('ears', EarsProcessor)
