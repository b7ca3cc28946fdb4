import { expect, test } from 'vitest'
import type { Phrase, Take } from '../api/client'
import { MOST_BESIDE, chooseBeside } from './useSideBySide'

const phrase = { from_frame: 1000, to_frame: 2000 } as Phrase

function take(number: number, changes: Partial<Take> = {}): Take {
  return { id: `t${number}`, number, rating: null, windows: [{ from_frame: 900, to_frame: 2100 }], ...changes } as Take
}

test('takes that play the phrase stand in the order of their numbers', () => {
  const rows = [take(3), take(1), take(2, { windows: [{ from_frame: 2000, to_frame: 3000 }] })]
  expect(chooseBeside(rows, phrase, undefined)).toEqual(['t1', 't3'])
})

test('of more than nine the starred and the newest are there, and the one that was chosen in any case', () => {
  const rows = Array.from({ length: 14 }, (_, index) => take(index + 1, index === 1 ? { rating: 'starred' } : {}))
  const chosen = chooseBeside(rows, phrase, 't1')
  expect(chosen).toHaveLength(MOST_BESIDE)
  expect(chosen.slice(0, 2)).toEqual(['t1', 't2'])
  expect(chosen.at(-1)).toBe('t14')
  expect(chosen).not.toContain('t3')
})

test('what was struck out is left out, unless it is the one that is asked for', () => {
  const rows = [take(1, { rating: 'struck' }), take(2), take(3, { rating: 'struck' })]
  expect(chooseBeside(rows, phrase, undefined)).toEqual(['t2'])
  expect(chooseBeside(rows, phrase, 't3')).toEqual(['t2', 't3'])
})
