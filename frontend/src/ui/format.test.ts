// @vitest-environment node
import { expect, test } from 'vitest'
import { barBeat, beatsInBar, count, figure, level, seconds } from './format'

test('figures carry a true minus sign, and zero has none', () => {
  expect(figure(-15.24)).toBe('−15.2')
  expect(figure(-0.01)).toBe('0.0')
  expect(level(null)).toBe('silent')
})

test('times are read at a glance', () => {
  expect(seconds(9.34)).toBe('9.3 s')
  expect(seconds(92.4)).toBe('1:32')
})

test('a frame is the beat that sounds there, before bar 1 too', () => {
  const beats = {
    beat_frames: [0, 100, 200, 300, 400, 500, 600, 700],
    beat_bars: [0, 0, 0, 0, 1, 1, 1, 2],
    beat_numbers: [1, 2, 3, 4, 1, 2, 3, 1],
  }
  expect(barBeat(0, beats)).toBe('0.1')
  expect(barBeat(399, beats)).toBe('0.4')
  expect(barBeat(400, beats)).toBe('1.1')
  expect(barBeat(1e9, beats)).toBe('2.1')
  expect(beatsInBar(650, beats)).toBe(3)
})

test('words follow their number', () => {
  expect(count(1, 'take')).toBe('1 take')
  expect(count(2, 'take')).toBe('2 takes')
})
