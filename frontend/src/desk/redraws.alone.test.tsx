import { act, cleanup, render } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { Session } from '../api/client'
import { live } from '../api/live'
import { useChoice } from './Choice'
import { useHearing } from './Hearing'
import { useOpenSession } from './OpenSession'
import { useRolling } from './Rolling'
import { SessionDesk } from './SessionDesk'
import { useTransport } from './Transport'
import { usePlayhead } from './usePlayhead'

vi.mock('../api/queries', () => {
  const lines = ['one', 'two'].map((id, index) => ({
    section: { id },
    from_frame: 1000 * index,
    to_frame: 1000 * (index + 1),
    missing_bars: 0,
  }))
  const [sheet, takes, nothing] = [{ data: { lines } }, { data: [], isPending: false }, { data: undefined }]
  return {
    useSheet: () => sheet,
    useTakes: () => takes,
    useComparison: () => nothing,
    useRollSettings: () => nothing,
    useCues: () => nothing,
  }
})

const session = { id: 's', rate_hz: 48_000, parts: [{ id: 'p', armed: true }], click: {} } as unknown as Session
const drawn: Record<string, number> = {}
const draws = (name: string) => void (drawn[name] = (drawn[name] ?? 0) + 1)
const READERS = { useOpenSession, useChoice, useTransport, useRolling, useHearing }

function Reader({ name }: { name: keyof typeof READERS }) {
  READERS[name]()
  draws(name)
  return null
}

function Chosen() {
  return <output>{useChoice().sectionId}</output>
}

function Hundreds() {
  const hundreds = usePlayhead((frame) => Math.floor(frame / 100))
  draws('usePlayhead')
  return <p>{hundreds}</p>
}

function Desk() {
  return (
    <SessionDesk session={session}>
      {(Object.keys(READERS) as (keyof typeof READERS)[]).map((name) => (
        <Reader key={name} name={name} />
      ))}
      <Hundreds />
      <Chosen />
    </SessionDesk>
  )
}

const set = (changes: object) => act(() => live.setState(changes))
const rolling = (roll_id: string, from: number, to: number) => ({
  roll_id,
  from_frame: from,
  play_from_frame: from,
  to_frame: to,
  windows: [{ from_frame: from, to_frame: to }],
})

afterEach(cleanup)

test('meters draw nothing but what they change', () => {
  const { getByText } = render(<Desk />)
  set({ rolling: rolling('r', 0, 900) })
  const before = { ...drawn }
  for (let count = 1; count <= 60; count++) set({ meters: { frame: 10 * count } })
  for (const name of Object.keys(READERS)) expect(drawn[name], name).toBe(before[name])
  // Six hundreds of frames went by.
  expect(drawn.usePlayhead! - before.usePlayhead!).toBe(6)
  expect(getByText('6')).toBeTruthy()
})

test('what is rolled stays chosen when it is over, and the next choice is free', () => {
  const { getByRole } = render(<Desk />)
  const chosen = () => getByRole('status').textContent
  set({ rolling: null })
  expect(chosen()).toBe('one')
  set({ rolling: rolling('r2', 1000, 2000) })
  expect(chosen()).toBe('two')
  set({ rolling: null })
  expect(chosen()).toBe('two')
})
