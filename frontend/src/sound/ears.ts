import workletUrl from './ears-worklet.js?url&no-inline'
import { FrameReader } from './frames'

export interface EarsState {
  on: boolean
  /** Sound arrives. */
  heard: boolean
  /** What waits in this browser before it is heard. */
  waitingMs: number
  holes: number
}

// About what a busy machine holds up a piece for; it adds this much to what is heard in the browser.
const TARGET_S = 0.03
const RETRY_MS = 700

/** Listens to a cue: what the engine mixes comes over a socket and goes through an audio worklet. */
export class Ears {
  private socket: WebSocket | null = null
  private node: AudioWorkletNode | null = null
  private cueId: string | null = null
  private listeners = new Set<() => void>()
  state: EarsState = { on: false, heard: false, waitingMs: 0, holes: 0 }

  constructor(
    private readonly rateHz: number,
    private readonly audio: () => AudioContext,
  ) {}

  subscribe = (listener: () => void) => {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  snapshot = () => this.state

  private set(changes: Partial<EarsState>) {
    this.state = { ...this.state, ...changes }
    for (const listener of this.listeners) listener()
  }

  /** Listen to a cue; to another one at once where one is heard already. */
  async open(cueId: string) {
    if (this.cueId === cueId) return
    this.cueId = cueId
    this.socket?.close()
    const context = this.audio()
    await context.resume()
    if (!this.node) {
      await context.audioWorklet.addModule(workletUrl)
      this.node = new AudioWorkletNode(context, 'ears', {
        numberOfInputs: 0,
        outputChannelCount: [2],
        processorOptions: { targetFrames: Math.round(TARGET_S * this.rateHz) },
      })
      this.node.port.onmessage = ({ data }: MessageEvent<{ waitingFrames: number; holes: number }>) =>
        this.set({ waitingMs: (1000 * data.waitingFrames) / this.rateHz, holes: data.holes })
      this.node.connect(context.destination)
    }
    this.set({ on: true })
    this.connect(cueId)
  }

  close() {
    this.cueId = null
    this.socket?.close()
    this.node?.disconnect()
    this.node = null
    this.set({ on: false, heard: false, waitingMs: 0 })
  }

  private connect(cueId: string) {
    if (this.cueId !== cueId) return
    const socket = new WebSocket(`${window.location.origin.replace(/^http/, 'ws')}/api/ears/${cueId}`)
    socket.binaryType = 'arraybuffer'
    const reader = new FrameReader()
    this.socket = socket
    socket.onmessage = ({ data }: MessageEvent<ArrayBuffer>) => {
      for (const frame of reader.read(data)) this.node?.port.postMessage(frame.samples, [frame.samples.buffer])
      if (!this.state.heard) this.set({ heard: true })
    }
    socket.onclose = () => {
      if (this.state.heard) this.set({ heard: false })
      setTimeout(() => this.connect(cueId), RETRY_MS)
    }
  }
}
