// @vitest-environment node
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Player, amplitude, monoSound } from './player'

interface Event {
  kind: 'set' | 'ramp'
  value: number
  at: number
}

interface FakeSource {
  buffer: { length: number; samples: Float32Array } | null
  started?: [number, number]
  stopped?: number
  onended: (() => void) | null
}

/** As much of an audio context as the player uses; the clock stands until a test moves it. */
class FakeContext {
  static newest: FakeContext
  currentTime = 1
  destination = {}
  /** Those that lead out: one for each sound that runs. */
  outputs: { value: number; events: Event[] }[] = []
  sources: FakeSource[] = []
  constructor() {
    FakeContext.newest = this
  }
  resume = () => Promise.resolve()
  createChannelMerger = () => ({ connect: <Target>(target: Target) => target })
  createBuffer(_: number, length: number) {
    const samples = new Float32Array(length)
    return { length, samples, copyToChannel: (from: Float32Array) => samples.set(from) }
  }
  createGain() {
    const gain = {
      value: 1,
      events: [] as Event[],
      setValueAtTime: (value: number, at: number) => void gain.events.push({ kind: 'set', value, at }),
      linearRampToValueAtTime: (value: number, at: number) => void gain.events.push({ kind: 'ramp', value, at }),
    }
    return {
      gain,
      connect: (target: unknown) => {
        if (target === this.destination) this.outputs.push(gain)
        return target
      },
    }
  }
  createBufferSource() {
    const source = {
      buffer: null,
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
  /** The frame of the file that sounds first in each of the pieces, and when. */
  begins() {
    return this.sources.map((source) => [source.buffer!.samples[0], source.started![0]] as const)
  }
}

const RATE = 1_000
const [FROM, FRAMES] = [96_000, 10_000]
const soundOf = (key: string, from_frame = FROM, frames = FRAMES, gainDb = 0) =>
  monoSound(key, { sound_url: `/${key}?kind=mic`, from_frame, frames }, gainDb)
const sounds = [soundOf('mic'), soundOf('print', FROM, FRAMES, -6)]

/** A file whose samples are their own numbers. */
async function counting(address: string) {
  const query = new URL(address, 'http://here').searchParams
  const [from, frames] = [Number(query.get('from_frame')), Number(query.get('frames'))]
  return new Response(Float32Array.from({ length: frames }, (_, index) => from + index).buffer)
}

const scheduled = () => new Promise((done) => setTimeout(done, 5))
const asked = () => vi.mocked(fetch).mock.calls.map(([address]) => address as string)

beforeEach(() => {
  vi.stubGlobal('AudioContext', FakeContext)
  vi.stubGlobal('fetch', vi.fn(counting))
})
afterEach(() => vi.unstubAllGlobals())

test('all sounds start at the same instant and the same place, and one is heard', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'print', FROM + 1_000, null)
  await scheduled()
  const { outputs } = FakeContext.newest
  const first = FakeContext.newest.begins().filter(([frame]) => frame === 1_000)
  expect(first.length).toBe(2)
  expect(first[0]![1]).toBe(first[1]![1])
  expect(outputs.map((gain) => gain.value)).toEqual([0, amplitude(-6)])
  expect(player.state.playing).toBe(true)
  player.stop()
})

test('of a long sound only the next seconds are fetched, and pieces follow each other on the sample', async () => {
  const player = new Player(RATE)
  await player.play([soundOf('mic', FROM, 3_600 * RATE)], 'mic', FROM, null)
  await scheduled()
  const begins = FakeContext.newest.begins()
  expect(begins.map(([frame]) => frame)).toEqual([0, 2_000, 4_000])
  for (const [frame, at] of begins) expect(RATE * (at - begins[0]![1])).toBeCloseTo(frame!, 6)
  expect(asked().every((address) => address.endsWith('frames=2000'))).toBe(true)
  player.stop()
})

test('a switch fades both at one instant that the audio thread has not reached yet', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', FROM, null)
  const context = FakeContext.newest
  context.currentTime = 2
  player.choose('print')
  const [mic, print] = context.outputs
  expect(mic!.events.map((event) => event.at)).toEqual(print!.events.map((event) => event.at))
  expect(mic!.events[0]!.at).toBeGreaterThan(2)
  expect(mic!.events.map((event) => event.value)).toEqual([1, 0])
  expect(print!.events.map((event) => event.value)).toEqual([0, amplitude(-6)])
  expect(player.state.heard).toBe('print')
  player.stop()
})

test('switches that follow each other fast wait for one another and never jump', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', FROM, null)
  const context = FakeContext.newest
  for (const key of ['print', 'mic', 'print']) player.choose(key)
  for (const { events } of context.outputs) {
    const times = events.map((event) => event.at)
    expect(times).toEqual([...times].sort((a, b) => a - b))
    // Each fade begins at the level at which the one before it ended.
    for (let index = 1; index < events.length; index++)
      if (events[index]!.kind === 'set') expect(events[index]!.value).toBe(events[index - 1]!.value)
  }
  player.stop()
})

test('the place runs with the audio clock, and round in a loop whose pieces meet at its ends', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', FROM + 500, [FROM, FROM + 1_500])
  await scheduled()
  const begins = FakeContext.newest.begins().filter((_, index) => index % 2 === 0)
  expect(begins.slice(0, 3).map(([frame]) => frame)).toEqual([500, 0, 0])
  const start = begins[0]![1]
  expect(begins.slice(0, 3).map(([, at]) => Math.round(RATE * (at - start)))).toEqual([0, 1_000, 2_500])
  FakeContext.newest.currentTime = start + 0.5
  expect(player.frameNow()).toBe(FROM + 1_000)
  FakeContext.newest.currentTime = start + 1.25
  expect(player.frameNow()).toBe(FROM + 250)
  player.stop()
})

test('stopping keeps the place, fades out, and ends the sources after the fade', async () => {
  const player = new Player(RATE)
  await player.play(sounds, 'mic', FROM, null)
  await scheduled()
  const context = FakeContext.newest
  context.currentTime = context.sources[0]!.started![0] + 2
  player.stop()
  expect(player.state).toMatchObject({ playing: false, frame: FROM + 2 * RATE })
  const end = context.outputs[0]!.events.at(-1)!
  expect(end.value).toBe(0)
  expect(context.sources[0]!.stopped).toBe(end.at)
})

test('it is over where the longest of the sounds is', async () => {
  const player = new Player(RATE)
  await player.play([soundOf('mic', FROM, 150), soundOf('print', FROM, 80)], 'mic', FROM, null)
  await vi.waitFor(() => expect(player.state.playing).toBe(false))
})

test('what begins later than the chosen place waits for its own', async () => {
  const player = new Player(RATE)
  await player.play([...sounds, soundOf('late', FROM + 1_000)], 'mic', FROM, null)
  await scheduled()
  const starts = FakeContext.newest.begins().map(([, at]) => at)
  expect(starts.some((at) => Math.abs(at - Math.min(...starts) - 1) < 1e-9)).toBe(true)
  player.stop()
})

test('a file that is gone is said in the words of the server, and may come back', async () => {
  const player = new Player(RATE)
  vi.mocked(fetch).mockImplementation(async () =>
    Response.json({ detail: 'take.wav is not in its folder any more' }, { status: 422 }),
  )
  await player.play(sounds, 'mic', FROM, null)
  expect(player.state).toMatchObject({
    playing: false,
    loading: false,
    problem: 'take.wav is not in its folder any more',
  })
  vi.mocked(fetch).mockImplementation((address) => counting(address as string))
  await player.play(sounds, 'mic', FROM, null)
  expect(player.state).toMatchObject({ playing: true, problem: null })
  player.stop()
})

test('what was announced and stopped meanwhile is not wanted any more', async () => {
  const player = new Player(48_000)
  const first = player.announce()
  expect([first(), player.state.loading]).toEqual([true, true])
  player.stop()
  expect([first(), player.state.loading]).toEqual([false, false])
  const second = player.announce()
  expect([first(), second()]).toEqual([false, true])
})
