/** How the microphones of a clip are heard together: which remedy is on, and the blend with another one. */
import type { AllInTime, MicBlend, Pair, Remedy, Trial, TrialReport } from '../api/client'

export const BANDS = ['boom', 'body', 'honk', 'bite', 'fizz'] as const

/** The pair of the first microphone with another one, or its first pair. */
export const pairWith = <Two extends { second: string }>(pairs: Two[], mic: string | undefined) =>
  pairs.find((entry) => entry.second === mic) ?? pairs[0]

/** What is wanted of some microphones; the others stay as they are. */
type Wanted = AllInTime['mics']

/** What a remedy wants of both, or what they are without one. */
export const ofPair = (pair: Pair, remedy: Remedy | null): Wanted =>
  [pair.first, pair.second].map((name) => ({
    name,
    delay_ms: remedy?.delays === name ? remedy.delay_ms : 0,
    flipped: remedy?.flips === name,
  }))

/** The same microphones as they were recorded. */
export const asRecorded = (wanted: Wanted): Wanted =>
  wanted.map((mic) => ({ name: mic.name, delay_ms: 0, flipped: false }))

/** The sum as it is heard, where it is one that was computed. */
export function heardSum(trial: Trial, report: TrialReport) {
  const all = report.in_time
  if (all) return isHeard(trial.blend, all.mics) ? all.sum_of : all.now
  const pair = report.pairs[0]
  const on = pair?.remedies.find((remedy) => !remedy.by_hand && isHeard(trial.blend, ofPair(pair, remedy)))
  return on?.sum_of ?? pair?.now
}

const stripOf = (blend: MicBlend, name: string) => blend.strips?.find((strip) => strip.name === name)

export const isHeard = (blend: MicBlend, wanted: Wanted) =>
  wanted.every((mic) => {
    const strip = stripOf(blend, mic.name)
    return (strip?.flipped ?? false) === mic.flipped && Math.abs((strip?.delay_ms ?? 0) - mic.delay_ms) < 1e-3
  })

/** The blend with what is wanted; a strip of which nothing is left goes. */
export function blendWith(blend: MicBlend, wanted: Wanted): MicBlend {
  const others = (blend.strips ?? []).filter((strip) => !wanted.some((mic) => mic.name === strip.name))
  const changed = wanted.flatMap((mic) => {
    const strip = stripOf(blend, mic.name)
    const next = { ...mic, on: strip?.on ?? true, gain_db: strip?.gain_db ?? 0 }
    return next.delay_ms || next.flipped || !next.on || next.gain_db ? [next] : []
  })
  return { ...blend, strips: [...others, ...changed] }
}
