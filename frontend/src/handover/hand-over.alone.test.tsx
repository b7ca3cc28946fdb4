import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, beforeAll, expect, test, vi } from 'vitest'
import { HandOverStation } from './HandOverStation'

interface Asked {
  items: string[]
  kind: string
  depth: string
  start: string
}
const parcel = (id: string, state: string, more = {}) => ({
  id,
  state,
  progress: 0,
  problem: '',
  files: 3,
  bytes: null,
  asked_at: '2026-01-01T10:20:00Z',
  form: 'WAV, 24-bit, all from zero',
  url: `/zip/${id}`,
  ...more,
})
const there = vi.hoisted(() => ({
  parcels: [] as unknown[],
  asked: null as Asked | null,
  stopped: '',
  made: null as object | null,
}))

vi.mock('../api/queries', () => {
  const item = (key: string, group_id: string, kind: string, name: string) => ({
    key,
    group_id,
    group: group_id.replace('t', 'Lead '),
    kind,
    name,
    first_bar: 1,
    last_bar: 8,
    seconds: 10,
  })
  const data = [item('a', 't1', 'di', 'Lead 01 - DI'), item('b', 't1', 'mic', 'Lead 01 - mic A')]
  return {
    useHandOverItems: () => ({ data: [...data, item('c', 't2', 'di', 'Lead 02 - DI')], isPending: false }),
    useParcels: () => ({ data: there.parcels }),
    queryClient: { invalidateQueries: () => Promise.resolve() },
  }
})
vi.mock('../api/client', () => ({
  api: {
    POST: (_: string, { body }: { body: Asked }) => {
      there.asked = body
      return Promise.resolve(there.made)
    },
    DELETE: (_: string, { params }: { params: { path: { parcel_id: string } } }) => {
      there.stopped = params.path.parcel_id
      return Promise.resolve()
    },
  },
  answered: (answer: Promise<unknown>) => answer,
}))
vi.mock('../api/acts', () => ({ reportErrors: (does: () => Promise<unknown>) => does() }))
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
afterEach(() => {
  cleanup()
  localStorage.clear()
  there.parcels = []
})

const asked = () => {
  there.asked = null
  there.made = parcel('made', 'waiting')
  fireEvent.click(screen.getByText(/^Hand over|^Mark a file/))
  return there.asked as Asked | null
}

test('all goes along until it is unmarked, file by file or take by take', () => {
  render(<HandOverStation />)
  expect(asked()!.items).toEqual(['a', 'b', 'c'])
  fireEvent.click(screen.getByRole('checkbox', { name: 'Lead 01 - mic A' }))
  expect(asked()!.items).toEqual(['a', 'c'])
  // A take of which some is unmarked is marked whole first.
  fireEvent.click(screen.getByRole('button', { name: /All of Lead 1/ }))
  expect(asked()!.items).toEqual(['a', 'b', 'c'])
  fireEvent.click(screen.getByRole('button', { name: /All of Lead 1/ }))
  expect(asked()!.items).toEqual(['c'])
  fireEvent.click(screen.getByRole('button', { name: 'Mark none' }))
  expect(asked()).toBeNull()
  expect(screen.getByText('Mark a file to hand it over')).toBeTruthy()
})

test('FLAC knows no floats: what was chosen for WAV becomes 24 bits', () => {
  render(<HandOverStation />)
  const choose = (name: RegExp) => fireEvent.click(screen.getByRole('radio', { name }))
  choose(/32 bit float/)
  expect([asked()!.kind, asked()!.depth]).toEqual(['wav', '32f'])
  choose(/FLAC/)
  expect([asked()!.kind, asked()!.depth]).toEqual(['flac', '24'])
  choose(/As recorded/)
  expect(asked()!.start).toBe('own')
})

test('what is marked and chosen is there again after a reload', () => {
  const { unmount } = render(<HandOverStation />)
  fireEvent.click(screen.getByRole('checkbox', { name: 'Lead 01 - mic A' }))
  fireEvent.click(screen.getByRole('radio', { name: /16 bit/ }))
  unmount()
  render(<HandOverStation />)
  expect(asked()).toEqual({ items: ['a', 'c'], kind: 'wav', depth: '16', start: 'song' })
})

test('a ZIP is saved by the page that asked for it, when it is done, and once', async () => {
  const saved: string[] = []
  const click = vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
    saved.push(this.getAttribute('href')!)
  })
  there.parcels = [parcel('older', 'done', { bytes: 5e6 })]
  const { rerender } = render(<HandOverStation />)
  asked()
  await Promise.resolve()
  there.parcels = [parcel('made', 'working', { progress: 0.345 }), ...there.parcels]
  rerender(<HandOverStation />)
  expect(screen.getByRole('status').textContent).toBe('34 %')
  fireEvent.click(screen.getByRole('button', { name: 'Stop' }))
  expect(there.stopped).toBe('made')
  expect(saved).toEqual([])
  for (let told = 0; told < 2; told++) {
    there.parcels = [parcel('made', 'done', { bytes: 1e6 }), parcel('older', 'done', { bytes: 5e6 })]
    rerender(<HandOverStation />)
  }
  expect(saved).toEqual(['/zip/made'])
  click.mockRestore()
})

test('one that could not be made says why', () => {
  there.parcels = [parcel('x', 'failed', { problem: 'Lead 01 - DI.wav is gone, or leave it out' })]
  render(<HandOverStation />)
  expect(screen.getByRole('alert').textContent).toMatch(/is gone/)
})
