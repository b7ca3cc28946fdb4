import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Print, Tone } from '../api/client'
import { PrintTable } from './PrintTable'

const choice = vi.hoisted(() => ({ chooseTake: vi.fn(), hear: vi.fn() }))
vi.mock('../api/queries', () => ({ useWave: () => ({ data: undefined }) }))
vi.mock('../desk/OpenSession', () => ({
  useOpenSession: () => {
    const di = { kind: 'di', name: 'DI', position: 0, checks: { loudness_lufs: -20 } }
    const mic = { kind: 'mic', name: 'mic A', position: 1, checks: { loudness_lufs: -14 } }
    const take = (id: string, number: number, channels: object[], binned = false) => ({
      id,
      number,
      channels,
      binned,
      part_name: 'Lead',
      first_bar: 1,
      last_bar: 8,
    })
    return {
      takes: [take('t1', 1, [di, mic]), take('t2', 2, [di]), take('t3', 3, [mic]), take('t4', 4, [di, mic], true)],
    }
  },
}))
vi.mock('../desk/Choice', () => ({
  useChoice: () => ({ ...choice, take: { id: 't1' }, comparison: undefined, heard: undefined }),
}))

const tones = [{ id: 'k', name: 'Kiln', use: 'edge' }] as unknown as Tone[]
const print = (changes: object) =>
  ({ id: 'p', material_id: 't1', tone_revision_id: 'k', ...changes }) as unknown as Print

function shown(prints: Print[]) {
  const acts = { others: [], onAdd: vi.fn(), onTone: vi.fn(), onAsk: vi.fn(), onStop: vi.fn() }
  render(<PrintTable tones={tones} prints={prints} toneId="k" {...acts} />)
  return acts
}

beforeEach(() => vi.clearAllMocks())
afterEach(cleanup)

test('what has a DI and is not thrown away can be printed, and asking for it chooses it', () => {
  const { onAsk, onTone } = shown([])
  const places = screen.getAllByRole('button', { name: /^Print / })
  expect(places.map((place) => place.getAttribute('aria-label'))).toEqual([
    'Print Lead 1 through Kiln',
    'Print Lead 2 through Kiln',
  ])
  fireEvent.click(places[1]!)
  expect(choice.chooseTake).toHaveBeenCalledWith('t2')
  expect(onTone).toHaveBeenCalledWith('k')
  expect(onAsk).toHaveBeenCalledWith('t2', 'k')
})

test('a print that runs is stopped, one that is ready is heard, one that failed says why and can be tried again', () => {
  const { onStop } = shown([print({ state: 'rendering', progress: 0.4, times_real_time: 12 })])
  fireEvent.click(screen.getByRole('button', { name: /top/ }))
  expect(onStop).toHaveBeenCalledWith('p')
  cleanup()
  shown([print({ state: 'ready', checks: { loudness_lufs: -15, spectrum_difference_db: 4 } })])
  fireEvent.click(screen.getByRole('button', { name: /Lead 1 through Kiln/ }))
  expect(choice.hear).toHaveBeenCalledWith('print-p')
  cleanup()
  const again = shown([print({ state: 'failed', problem: 'the DI is gone' })])
  const place = screen.getByRole('button', { name: 'Print Lead 1 through Kiln' })
  expect(place.textContent).toBe('! the DI is gone')
  fireEvent.click(place)
  expect(again.onAsk).toHaveBeenCalledWith('t1', 'k')
})
