// @vitest-environment node
import { expect, test } from 'vitest'
import { FrameReader } from './frames'

function written(atFrame: number, samples: number[]): Uint8Array {
  const bytes = new Uint8Array(16 + 4 * samples.length)
  const view = new DataView(bytes.buffer)
  view.setUint32(0, samples.length / 2, true)
  view.setUint32(4, 2, true)
  view.setBigInt64(8, BigInt(atFrame), true)
  samples.forEach((sample, index) => view.setFloat32(16 + 4 * index, sample, true))
  return bytes
}

test.each([1, 3, 16, 24, 1000])('frames come out whole, however they were cut (%i bytes a piece)', (size) => {
  const stream = new Uint8Array([...written(0, [0.5, -0.5, 0.25, 1]), ...written(-2, [1, 2]), ...written(2 ** 40, [])])
  const reader = new FrameReader()
  const found = []
  for (let at = 0; at < stream.length; at += size) found.push(...reader.read(stream.slice(at, at + size).buffer))
  expect(found.map((frame) => [frame.atFrame, [...frame.samples]])).toEqual([
    [0, [0.5, -0.5, 0.25, 1]],
    [-2, [1, 2]],
    [2 ** 40, []],
  ])
})
