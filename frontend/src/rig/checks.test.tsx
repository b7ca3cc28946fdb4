import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { Check } from '../api/client'
import { live } from '../api/live'
import { CheckList } from './CheckList'
import { CheckFrame } from './checks/CheckFrame'
import { PANELS } from './checks/panels'
import type { RigActs } from './useRigActs'

afterEach(cleanup)

const KINDS = [
  { kind: 'level', title: 'Level', needs: 'play your loudest', listens: true },
  { kind: 'chords', title: 'Chords', needs: 'what clashes in tune', listens: false },
  { kind: 'weather', title: 'Weather', needs: 'look out of the window', listens: true },
]
const level = { kind: 'level', verdict: 'fix', says: 'DI: turn input 1 down 6 dB', made_at: '2026-01-01T12:00:00Z' }

function set(changes: object) {
  act(() => live.setState(changes))
}

test('checks stand in the order in which the server tells them, with what was found or what they need', () => {
  const onChoose = vi.fn()
  render(<CheckList kinds={KINDS} checks={[level as unknown as Check]} chosen={null} onChoose={onChoose} />)
  const rows = screen.getAllByRole('button')
  expect(rows.map((row) => row.textContent)).toEqual([
    expect.stringMatching(/^Level.*fix.*turn input 1 down/),
    'Chordswhat clashes in tune',
    'Weathernot yetlook out of the window',
  ])
  fireEvent.click(rows[2]!)
  expect(onChoose).toHaveBeenCalledWith('weather')
  set({ measuring: 'weather' })
  expect(rows[2]!.textContent).toContain('listening…')
  set({ measuring: null })
})

test('every kind that the program has is shown by a panel', () => {
  expect(Object.keys(PANELS).sort()).toEqual(['bleed', 'chords', 'latency', 'level', 'noise', 'tuning'])
})

test('a check begins when the engine is there and nothing rolls, and while it listens it can be stopped', () => {
  const acts = { check: vi.fn(), stop: vi.fn() } as unknown as RigActs
  render(<CheckFrame kind="noise" title="Noise" says="Hands off." button="Listen" check={undefined} acts={acts} />)
  const enabled = (name: string) => !screen.getByRole('button', { name }).hasAttribute('disabled')
  expect(enabled('Warming up')).toBe(false)
  set({ engine: 'ready' })
  expect(enabled('Listen')).toBe(true)
  set({ rolling: { roll_id: 'r' } })
  expect(enabled('Listen')).toBe(false)
  set({ rolling: null, listening: { kind: 'noise', frames: 1000 }, meters: { frame: 250 } })
  expect(screen.getByRole('progressbar').getAttribute('aria-valuenow')).toBe('25')
  fireEvent.click(screen.getByRole('button', { name: 'Stop and measure' }))
  expect(acts.stop).toHaveBeenCalled()
  set({ listening: null, measuring: 'noise' })
  expect(enabled('Measuring…')).toBe(false)
  set({ measuring: null })
})
