/** How the microphones of a clip are heard together: which remedy is on, and the blend with another one. */
import type { AllInTime, MicBlend, Pair, Remedy, Trial, TrialReport } from '../api/client'

export const BANDS = ['boom', 'body', 'honk', 'bite', 'fizz'] as const

/** The pair of the first microphone with another one, or its first pair. */
export const pairWith = (report: TrialReport, mic: string | undefined) =>
  report.pairs.find((entry) => entry.second === mic) ?? report.pairs[0]

/** The sum as it is heard, where it is one that was computed. */
export function heardSum(trial: Trial, report: TrialReport) {
  const all = report.in_time
  if (all) return isInTime(trial.blend, all) ? all.sum_of : all.now
  const pair = report.pairs[0]
  const on = pair?.remedies.find((remedy) => !remedy.by_hand && isOn(trial.blend, remedy, pair))
  return on?.sum_of ?? pair?.now
}

const stripOf = (blend: MicBlend, name: string) => blend.strips?.find((strip) => strip.name === name)

export const isOn = (blend: MicBlend, remedy: Remedy, pair: Pair) =>
  [pair.first, pair.second].every((name) => {
    const strip = stripOf(blend, name)
    const wanted = remedy.delays === name ? remedy.delay_ms : 0
    return (strip?.flipped ?? false) === (remedy.flips === name) && Math.abs((strip?.delay_ms ?? 0) - wanted) < 1e-3
  })

export const asRecorded = (blend: MicBlend, names: string[]) =>
  names.every((name) => {
    const strip = stripOf(blend, name)
    return !strip || (!strip.delay_ms && !strip.flipped)
  })

export const isInTime = (blend: MicBlend, all: AllInTime) =>
  all.mics.every((mic) => {
    const strip = stripOf(blend, mic.name)
    return (strip?.flipped ?? false) === mic.flipped && Math.abs((strip?.delay_ms ?? 0) - mic.delay_ms) < 1e-3
  })

/** A strip with another delay and polarity; none where nothing is left of it. */
function heard(blend: MicBlend, name: string, delay_ms: number, flipped: boolean) {
  const strip = stripOf(blend, name)
  const changed = { name, on: strip?.on ?? true, gain_db: strip?.gain_db ?? 0, delay_ms, flipped }
  return changed.delay_ms || changed.flipped || !changed.on || changed.gain_db ? [changed] : []
}

/** The blend with all microphones in time, or as they were recorded. */
export function inTime(blend: MicBlend, all: AllInTime, on: boolean): MicBlend {
  const strips = all.mics.flatMap((mic) => heard(blend, mic.name, on ? mic.delay_ms : 0, on && mic.flipped))
  const others = (blend.strips ?? []).filter((strip) => !all.mics.some((mic) => mic.name === strip.name))
  return { ...blend, strips: [...others, ...strips] }
}

/** The blend with one remedy of a pair, or with none: the others of the pair are taken off. */
export function remedied(blend: MicBlend, pair: Pair, remedy: Remedy | null): MicBlend {
  const others = (blend.strips ?? []).filter((strip) => strip.name !== pair.first && strip.name !== pair.second)
  const kept = [pair.first, pair.second].flatMap((name) =>
    heard(blend, name, remedy?.delays === name ? remedy.delay_ms : 0, remedy?.flips === name),
  )
  return { ...blend, strips: [...others, ...kept] }
}
