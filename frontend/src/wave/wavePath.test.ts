// @vitest-environment node
import { expect, test } from 'vitest'
import { loudest, wavePath } from './wavePath'

const box = { x: 0, y: 50, width: 4, height: 100 }

test('full scale fills the height and the outline is closed', () => {
  const path = wavePath([-127, 127, -127, 127, -127, 127, -127, 127], 10, { startFrame: 0, endFrame: 40 }, box)
  expect(path.startsWith('M0.0 0.0')).toBe(true)
  expect(path).toContain('100.0')
  expect(path.endsWith('Z')).toBe(true)
})

test('what lies outside the recording is not drawn', () => {
  expect(wavePath([-10, 10], 10, { startFrame: 500, endFrame: 900 }, box)).toBe('')
  expect(wavePath([-10, 10], 10, { startFrame: -900, endFrame: -500 }, box)).toBe('')
})

test('silence is drawn as a thin line, not as a hole', () => {
  const path = wavePath([0, 0, 0, 0], 10, { startFrame: 0, endFrame: 20 }, box)
  expect(path).toContain('49.6')
  expect(path).toContain('50.4')
})

test('the loudest column counts whichever way it points', () => {
  expect(loudest([-90, 12])).toBe(90)
  expect(loudest([])).toBe(1)
})
