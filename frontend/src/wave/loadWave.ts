/** Columns of a wave: per channel, minimum and maximum by turns in 127ths, `framesPerColumn` frames a pair. */
export interface Wave {
  framesPerColumn: number
  channels: Int8Array[]
  loudest: number[]
}

export const SHEET_FRAMES_PER_COLUMN = 1024
const MOST_AT_ONCE = 100

interface Entry {
  id: string
  channels: number
  columns: number
  loudest: number[]
}

interface Waiting {
  id: string
  found: (wave: Wave) => void
  missed: (problem: Error) => void
}

let waiting: Waiting[] = []

/** Waves that are wanted in the same turn are fetched together. */
export function loadWave(id: string): Promise<Wave> {
  return new Promise((found, missed) => {
    if (waiting.length === 0) queueMicrotask(fetchWaiting)
    waiting.push({ id, found, missed })
  })
}

function fetchWaiting() {
  const all = waiting
  waiting = []
  for (let start = 0; start < all.length; start += MOST_AT_ONCE) {
    const some = all.slice(start, start + MOST_AT_ONCE)
    fetchWaves(some.map((entry) => entry.id)).then(
      (waves) => {
        for (const { id, found, missed } of some) {
          const wave = waves.get(id)
          if (wave) found(wave)
          else missed(new Error('this wave cannot be drawn'))
        }
      },
      (problem: Error) => some.forEach((entry) => entry.missed(problem)),
    )
  }
}

async function fetchWaves(ids: string[]): Promise<Map<string, Wave>> {
  const query = new URLSearchParams([
    ...ids.map((id) => ['id', id]),
    ['frames_per_column', String(SHEET_FRAMES_PER_COLUMN)],
  ])
  const response = await fetch(`/api/waves?${query}`)
  if (!response.ok) throw new Error('the waves cannot be drawn')
  return unpackWaves(await response.arrayBuffer())
}

/** One line of JSON that lists the waves, then their columns, wave by wave and channel by channel. */
export function unpackWaves(body: ArrayBuffer): Map<string, Wave> {
  const bytes = new Int8Array(body)
  const end = bytes.indexOf(10)
  const entries = JSON.parse(new TextDecoder().decode(bytes.subarray(0, end))) as Entry[]
  const waves = new Map<string, Wave>()
  let at = end + 1
  for (const { id, channels, columns, loudest } of entries) {
    const size = 2 * columns
    waves.set(id, {
      framesPerColumn: SHEET_FRAMES_PER_COLUMN,
      channels: Array.from({ length: channels }, (_, index) =>
        bytes.subarray(at + index * size, at + (index + 1) * size),
      ),
      loudest,
    })
    at += channels * size
  }
  return waves
}
