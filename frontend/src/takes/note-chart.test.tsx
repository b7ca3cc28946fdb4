import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { JudgedTake, Session } from '../api/client'
import { NoteChart } from './NoteChart'

afterEach(cleanup)

// Two bars of four beats, a second each at 1000 frames a second.
const session = {
  rate_hz: 1000,
  beat_frames: Array.from({ length: 9 }, (_, index) => index * 1000),
  beat_bars: [1, 1, 1, 1, 2, 2, 2, 2, 3],
  beat_numbers: [1, 2, 3, 4, 1, 2, 3, 4, 1],
} as Session

const judged = {
  timing: {
    mean_ms: 4.4,
    spread_ms: 9.12,
    drift_ms: -3.2,
    strokes: [
      { frame: 1012, place_frame: 1000, ms: 12 },
      { frame: 5969, place_frame: 6000, ms: -31 },
    ],
  },
  notes: [{ frame: 1012, name: 'E2', cents: -7.4 }],
} as unknown as JudgedTake

test('every note is told with its place, and a press goes there', () => {
  const seek = vi.fn()
  const { container } = render(<NoteChart judged={judged} session={session} from={0} to={8000} onSeek={seek} />)
  expect(screen.getByText(/2 strokes, \+4 ms in the mean, spread 9.1 ms, drift −3 ms/)).toBeTruthy()
  const titles = [...container.querySelectorAll('title')].map((title) => title.textContent)
  expect(titles).toEqual(['bar 1.2: 12 ms late', 'bar 2.2: 31 ms early', 'bar 1.2: E2 −7 cents'])
  fireEvent.click(container.querySelectorAll('title')[1]!.parentElement!)
  expect(seek).toHaveBeenCalledWith(5969)
})

test('late lies above the line, early below, and the farthest still inside', () => {
  const { container } = render(<NoteChart judged={judged} session={session} from={0} to={8000} onSeek={() => {}} />)
  const [late, early] = [...container.querySelectorAll('circle')].map((dot) => Number(dot.getAttribute('cy')))
  expect(late).toBeLessThan(46)
  expect(early).toBeGreaterThan(46)
  expect(early).toBeLessThanOrEqual(92)
})

test('without notes it says so', () => {
  const none = { timing: { ...judged.timing, strokes: [] }, notes: [] } as unknown as JudgedTake
  render(<NoteChart judged={none} session={session} from={0} to={8000} onSeek={() => {}} />)
  expect(screen.getByText('No note was found in it.')).toBeTruthy()
})
