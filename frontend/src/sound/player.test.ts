import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Player, amplitude } from './player'

interface Event {
  kind: 'set' | 'ramp'
  value: number
  at: number
}

/** As much of an audio context as the player uses; the clock stands until a test moves it. */
class FakeContext {
  static newest: FakeContext
  currentTime = 1
  destination = {}
  gains: { value: number; events: Event[] }[] = []
  sources: {
    started?: [number, number]
    stopped?: number
    loop: boolean
    loopStart: number
    loopEnd: number
    onended: (() => void) | null
  }[] = []
  constructor() {
    FakeContext.newest = this
  }
  resume = () => Promise.resolve()
  decodeAudioData = (bytes: ArrayBuffer) =>
    Promise.resolve({ duration: bytes.byteLength / 48_000, length: bytes.byteLength })
  createGain() {
    const gain = {
      value: 1,
      events: [] as Event[],
      setValueAtTime: (value: number, at: number) => void gain.events.push({ kind: 'set', value, at }),
      linearRampToValueAtTime: (value: number, at: number) => void gain.events.push({ kind: 'ramp', value, at }),
    }
    this.gains.push(gain)
    return { gain, connect: (target: unknown) => target }
  }
  createBufferSource() {
    const source = {
      buffer: null,
      loop: false,
      loopStart: 0,
      loopEnd: 0,
      onended: null as (() => void) | null,
      started: undefined as [number, number] | undefined,
      stopped: undefined as number | undefined,
      connect: <Target>(target: Target) => target,
      start: (at: number, offset: number) => void (source.started = [at, offset]),
      stop: (at: number) => void (source.stopped = at),
    }
    this.sources.push(source)
    return source
  }
}

const RATE = 48_000
const sounds = [
  { key: 'mic', url: '/mic.wav', gainDb: 0, fromFrame: 96_000 },
  { key: 'print', url: '/print.wav', gainDb: -6, fromFrame: 96_000 },
]

beforeEach(() => {
  vi.stubGlobal('AudioContext', FakeContext)
  vi.stubGlobal(
    'fetch',
    vi.fn(async () => new Response(new ArrayBuffer(10 * RATE))),
  )
})
afterEach(() => vi.unstubAllGlobals())

test('all sounds start at the same instant and the same place, and one is heard', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'print', 96_000 + RATE, null)
  const { sources, gains } = FakeContext.newest
  expect(sources.map((source) => source.started)).toEqual([sources[0]!.started, sources[0]!.started])
  expect(sources[0]!.started![1]).toBe(1)
  expect(gains.map((gain) => gain.value)).toEqual([0, amplitude(-6)])
  expect(player.state.playing).toBe(true)
})

test('a switch fades both at one instant that the audio thread has not reached yet', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', 96_000, null)
  const context = FakeContext.newest
  context.currentTime = 2
  player.choose('print')
  const [mic, print] = context.gains
  expect(mic!.events.map((event) => event.at)).toEqual(print!.events.map((event) => event.at))
  expect(mic!.events[0]!.at).toBeGreaterThan(2)
  expect(mic!.events.map((event) => event.value)).toEqual([1, 0])
  expect(print!.events.map((event) => event.value)).toEqual([0, amplitude(-6)])
  expect(player.state.heard).toBe('print')
})

test('switches that follow each other fast wait for one another and never jump', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', 96_000, null)
  const context = FakeContext.newest
  for (const key of ['print', 'mic', 'print']) player.choose(key)
  for (const { events } of context.gains) {
    const times = events.map((event) => event.at)
    expect(times).toEqual([...times].sort((a, b) => a - b))
    // Each fade begins at the level at which the one before it ended.
    for (let index = 1; index < events.length; index++)
      if (events[index]!.kind === 'set') expect(events[index]!.value).toBe(events[index - 1]!.value)
  }
})

test('the place runs with the audio clock, and round in a loop', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', 96_000, [96_000, 96_000 + 4 * RATE])
  const { sources } = FakeContext.newest
  expect([sources[0]!.loopStart, sources[0]!.loopEnd]).toEqual([0, 4])
  FakeContext.newest.currentTime = sources[0]!.started![0] + 1.5
  expect(player.frameNow()).toBe(96_000 + 1.5 * RATE)
  FakeContext.newest.currentTime = sources[0]!.started![0] + 5
  expect(player.frameNow()).toBe(96_000 + RATE)
})

test('stopping keeps the place, fades out, and ends the sources after the fade', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', 96_000, null)
  const context = FakeContext.newest
  context.currentTime = context.sources[0]!.started![0] + 2
  player.stop()
  expect(player.state).toMatchObject({ playing: false, frame: 96_000 + 2 * RATE })
  const end = context.gains[0]!.events.at(-1)!
  expect(end.value).toBe(0)
  expect(context.sources[0]!.stopped).toBe(end.at)
})

test('what begins later than the chosen place waits for its own', async () => {
  const player = new Player(RATE)
  await player.play(
    [...sounds, { key: 'late', url: '/late.wav', gainDb: 0, fromFrame: 96_000 + RATE }],
    'mic',
    96_000,
    null,
  )
  const { sources } = FakeContext.newest
  expect(sources[2]!.started![0] - sources[0]!.started![0]).toBeCloseTo(1)
  expect(sources[2]!.started![1]).toBe(0)
})

test('a file that is gone is said in the words of the server, and may come back', async () => {
  const player = new Player(RATE)
  vi.stubGlobal(
    'fetch',
    vi.fn(async () => Response.json({ detail: 'take.wav is not in its folder any more' }, { status: 422 })),
  )
  await player.play(sounds, 'mic', 96_000, null)
  expect(player.state).toMatchObject({
    playing: false,
    loading: false,
    problem: 'take.wav is not in its folder any more',
  })
  vi.stubGlobal(
    'fetch',
    vi.fn(async () => new Response(new ArrayBuffer(RATE))),
  )
  await player.play(sounds, 'mic', 96_000, null)
  expect(player.state).toMatchObject({ playing: true, problem: null })
})
