import type { TrialReport } from '../api/client'

/** The pair of the first microphone with another one, or its first pair. */
export const pairWith = (report: TrialReport, mic: string | undefined) =>
  report.pairs.find((entry) => entry.second === mic) ?? report.pairs[0]
