// @vitest-environment node
import { expect, test } from 'vitest'
import { cordLayout } from './cordLayout'

test('eight stations have room on 1024 pixels, and none runs into its neighbour, the name or the buttons', () => {
  const { xs, room, start, end, dense } = cordLayout(1024, 8)
  expect(dense).toBe(true)
  expect(xs.length).toBe(8)
  // Nine letters of the names' size, which are the most that a station's name has.
  expect(room).toBeGreaterThan(80)
  expect(xs[0]! - room / 2).toBeGreaterThan(start - 1)
  expect(xs.at(-1)! + room / 2).toBeLessThan(end + 1)
  for (let index = 1; index < 8; index++) expect(xs[index]! - xs[index - 1]!).toBeGreaterThanOrEqual(room - 1e-9)
})

test('five on a wide page have room for a line each', () => {
  const { dense, room } = cordLayout(1280, 5)
  expect(dense).toBe(false)
  expect(room).toBe(176)
})
