import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import type { Print, Take, Tone } from '../api/client'
import { PrintTable } from './PrintTable'
import { drySources } from './printSources'
import { type Cell, sameCell } from './usePrintPlan'

const choice = vi.hoisted(() => ({ chooseTake: vi.fn(), hear: vi.fn() }))
vi.mock('../api/queries', () => ({ useWave: () => ({ data: undefined }) }))
const di = { kind: 'di', name: 'DI', position: 0, checks: { loudness_lufs: -20 } }
const mic = { kind: 'mic', name: 'mic A', position: 1, checks: { loudness_lufs: -14 } }
const take = (id: string, number: number, channels: object[], binned = false) =>
  ({ id, number, channels, binned, part_name: 'Lead', first_bar: 1, last_bar: 8 }) as unknown as Take
const takes = [take('t1', 1, [di, mic]), take('t2', 2, [di]), take('t3', 3, [mic]), take('t4', 4, [di, mic], true)]
vi.mock('../desk/Choice', () => ({
  useChoice: () => ({ ...choice, take: { id: 't1' }, comparison: undefined, heard: undefined }),
}))

const tones = [
  { id: 'k', tone_id: 'kt', name: 'Kiln', use: 'edge', revision: 2 },
  { id: 'f', tone_id: 'ft', name: 'Foundry', use: 'high', revision: 1 },
] as unknown as Tone[]
const print = (changes: object) =>
  ({ id: 'p', material_id: 't1', tone_id: 'kt', stale: '', channels: 1, ...changes }) as unknown as Print

function shown(prints: Print[], marked: Cell[] = []) {
  const sources = drySources([], takes, [], 48_000)
  const acts = {
    onTone: vi.fn(),
    onSource: vi.fn(),
    onAsk: vi.fn(),
    onStop: vi.fn(),
    onMark: vi.fn(),
    onHearComp: vi.fn(),
  }
  render(
    <PrintTable
      sources={sources}
      tones={tones}
      printOf={(source, tone) => prints.find((each) => each.material_id === source.id && each.tone_id === tone.tone_id)}
      marked={(cell) => marked.some((each) => sameCell(each, cell))}
      sourceId="t1"
      toneId="k"
      heardPrint={null}
      {...acts}
    />,
  )
  return acts
}

beforeEach(() => vi.clearAllMocks())
afterEach(cleanup)

test('what has a DI and is not thrown away can be printed, and asking for it chooses it', () => {
  const { onAsk, onTone, onSource } = shown([])
  const places = screen.getAllByRole('button', { name: /^Print .* Kiln/ })
  expect(places.map((place) => place.getAttribute('aria-label'))).toEqual([
    'Print Lead 1 through Kiln',
    'Print Lead 2 through Kiln',
  ])
  fireEvent.click(places[1]!)
  expect(onSource).toHaveBeenCalledWith('t2')
  expect(onTone).toHaveBeenCalledWith('k')
  expect(onAsk).toHaveBeenCalledWith({ material_id: 't2', tone_revision_id: 'k' })
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
  expect(again.onAsk).toHaveBeenCalledWith({ material_id: 't1', tone_revision_id: 'k' })
})

test('a row or a column is marked but for what is printed already, and a tick tells that all of it is', () => {
  const cell = (material_id: string, tone_revision_id: string) => ({ material_id, tone_revision_id })
  const { onMark } = shown([print({ state: 'ready', checks: {} })], [cell('t2', 'k')])
  fireEvent.click(screen.getByRole('checkbox', { name: 'Mark Lead 1 for all tones' }))
  expect(onMark).toHaveBeenLastCalledWith([cell('t1', 'f')])
  const column = screen.getByRole('checkbox', { name: 'Mark Kiln for all sources' })
  expect(column).toHaveProperty('checked', true)
  fireEvent.click(screen.getByRole('checkbox', { name: 'Mark Foundry for all sources' }))
  expect(onMark).toHaveBeenLastCalledWith([cell('t1', 'f'), cell('t2', 'f')])
})

test('a print of an older revision is heard, and can be made again', () => {
  const { onAsk } = shown([print({ state: 'ready', checks: {}, stale: 'Kiln is at revision 2 now, this is 1' })])
  fireEvent.click(screen.getByRole('button', { name: /Lead 1 through Kiln again/ }))
  expect(onAsk).toHaveBeenCalledWith({ material_id: 't1', tone_revision_id: 'k' })
})
