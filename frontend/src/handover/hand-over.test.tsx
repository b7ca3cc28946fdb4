import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeAll, expect, test, vi } from 'vitest'
import { HandOverStation } from './HandOverStation'

vi.mock('../api/queries', () => {
  const item = (key: string, take_id: string, kind: string, name: string) => ({
    key,
    take_id,
    kind,
    name,
    first_bar: 1,
    last_bar: 8,
    seconds: 10,
  })
  const data = [item('a', 't1', 'di', 'Lead 01 - DI'), item('b', 't1', 'mic', 'Lead 01 - mic A')]
  return { useHandOverItems: () => ({ data: [...data, item('c', 't2', 'di', 'Lead 02 - DI')], isPending: false }) }
})
vi.mock('../desk/OpenSession', () => ({
  useOpenSession: () => ({
    session: { id: 's', last_bar: 20, rate_hz: 48_000 },
    takes: [
      { id: 't1', part_name: 'Lead', number: 1 },
      { id: 't2', part_name: 'Lead', number: 2 },
    ],
  }),
}))

beforeAll(() => {
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
    },
  )
})
afterEach(cleanup)

const asked = () => {
  const href = screen
    .getByText(/^Hand over|^Mark a file/)
    .closest('a')!
    .getAttribute('href')
  return href ? new URL(href, 'http://here').searchParams : null
}

test('all goes along until it is unmarked, file by file or take by take', () => {
  render(<HandOverStation />)
  expect(asked()!.getAll('item')).toEqual(['a', 'b', 'c'])
  fireEvent.click(screen.getByRole('checkbox', { name: 'Lead 01 - mic A' }))
  expect(asked()!.getAll('item')).toEqual(['a', 'c'])
  // A take of which some is unmarked is marked whole first.
  fireEvent.click(screen.getByRole('button', { name: /All of Lead 1/ }))
  expect(asked()!.getAll('item')).toEqual(['a', 'b', 'c'])
  fireEvent.click(screen.getByRole('button', { name: /All of Lead 1/ }))
  expect(asked()!.getAll('item')).toEqual(['c'])
  fireEvent.click(screen.getByRole('button', { name: 'Mark none' }))
  expect(asked()).toBeNull()
  expect(screen.getByText('Mark a file to hand it over')).toBeTruthy()
})

test('FLAC knows no floats: what was chosen for WAV becomes 24 bits', () => {
  render(<HandOverStation />)
  const choose = (name: RegExp) => fireEvent.click(screen.getByRole('radio', { name }))
  choose(/32 bit float/)
  expect([asked()!.get('kind'), asked()!.get('depth')]).toEqual(['wav', '32f'])
  choose(/FLAC/)
  expect([asked()!.get('kind'), asked()!.get('depth')]).toEqual(['flac', '24'])
  choose(/As recorded/)
  expect(asked()!.get('start')).toBe('own')
})
