/** Figures as they are shown: a true minus sign, a fixed number of digits. */
export function figure(value: number, digits = 1): string {
  return value
    .toFixed(digits)
    .replace('-', '−')
    .replace(/^−(0(\.0+)?)$/, '$1')
}

/** A figure as a person types it, with a comma or a true minus; NaN where it is none. */
export function readFigure(typed: string): number {
  return Number(typed.replace('−', '-').replace(',', '.'))
}

/** A figure with its sign: "+12", "−3", "0"; with one digit "+12.3". */
export function signed(value: number, digits = 0): string {
  const rounded = Number(value.toFixed(digits))
  return rounded > 0 ? `+${rounded.toFixed(digits)}` : rounded < 0 ? `−${(-rounded).toFixed(digits)}` : '0'
}

export function level(value: number | null | undefined, unit = 'dB'): string {
  return value === null || value === undefined ? 'silent' : `${figure(value)} ${unit}`
}

export function seconds(value: number): string {
  const minutes = Math.floor(value / 60)
  const rest = value - 60 * minutes
  return minutes ? `${minutes}:${Math.floor(rest).toString().padStart(2, '0')}` : `${rest.toFixed(1)} s`
}

/** How long something lasts, in the one unit that says it. */
export function lasting(value: number): string {
  if (value < 90) return `${Math.floor(value)} s`
  if (value < 90 * 60) return `${Math.floor(value / 60)} min`
  return `${Math.floor(value / 3600)} h`
}

/** Hours and minutes where the player sits. By hand: the browser's formatter takes 100 ms to begin with. */
export function clock(iso: string): string {
  const at = new Date(iso)
  return [at.getHours(), at.getMinutes()].map((part) => String(part).padStart(2, '0')).join(':')
}

/** The beats of a song as the server placed them: frame, bar and number within the bar of each. */
export interface Beats {
  beat_frames: number[]
  beat_bars: number[]
  beat_numbers: number[]
}

/** A frame as bar and beat. */
export function barBeat(frame: number, { beat_frames: beatFrames, beat_bars, beat_numbers }: Beats): string {
  let low = 0
  let high = beatFrames.length - 1
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if (beatFrames[middle]! <= frame) low = middle
    else high = middle - 1
  }
  return `${beat_bars[low] ?? 1}.${beat_numbers[low] ?? 1}`
}

/** Frame on which the song begins. */
export function barOne({ beat_frames, beat_bars }: Beats): number {
  return beat_frames[beat_bars.indexOf(1)] ?? 0
}

/** How many beats the bar has in which a frame lies. */
export function beatsInBar(frame: number, beats: Beats): number {
  const bar = Number(barBeat(frame, beats).split('.')[0])
  return beats.beat_bars.filter((entry) => entry === bar).length
}

/** Room on a disk: "1.4 GB", "36 MB". */
export function bytes(value: number): string {
  return value >= 1e9 ? `${(value / 1e9).toFixed(1)} GB` : `${Math.ceil(value / 1e6)} MB`
}

export function count(number: number, word: string): string {
  return `${number} ${word}${number === 1 ? '' : 's'}`
}
