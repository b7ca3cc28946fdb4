// @vitest-environment node
import { expect, test } from 'vitest'
import { unpackWaves } from './loadWave'

test('waves come apart as they were packed', () => {
  const line = new TextEncoder().encode(
    '[{"id":"a","channels":2,"columns":2,"loudest":[9,4]},{"id":"b","channels":1,"columns":1,"loudest":[127]}]\n',
  )
  // A column of minus ten to ten has the byte of a line's end in it; only the first such byte ends the line.
  const columns = Int8Array.of(-9, 9, -1, 10, -4, 4, 0, 0, -127, 127)
  const waves = unpackWaves(new Uint8Array([...line, ...new Uint8Array(columns.buffer)]).buffer)
  expect([...waves.keys()]).toEqual(['a', 'b'])
  expect(waves.get('a')!.channels.map((channel) => [...channel])).toEqual([
    [-9, 9, -1, 10],
    [-4, 4, 0, 0],
  ])
  expect(waves.get('a')!.loudest).toEqual([9, 4])
  expect([...waves.get('b')!.channels[0]!]).toEqual([-127, 127])
})
