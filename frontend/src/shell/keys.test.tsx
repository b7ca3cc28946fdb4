import { act, cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import { Keys } from './Keys'
import { type KeyRank, presentKeys, useKeys } from './useKeys'

afterEach(cleanup)

function Having({ keys, rank, does }: { keys: string; rank: KeyRank; does: (key: string) => void }) {
  useKeys(
    [...keys].map((key) => ({ key, does: `${rank} ${key}`, act: () => does(`${rank} ${key}`) })),
    rank,
  )
  return null
}

function press(key: string, target: Element = document.body, more = {}) {
  act(() => void fireEvent.keyDown(target, { key, ...more }))
}

test('a key means what is under way, else what the station says, else what the frame says', () => {
  const did = vi.fn()
  const { rerender } = render(
    <>
      <Having keys="12a" rank="frame" does={did} />
      <Having keys="1s" rank="station" does={did} />
      <Having keys="12" rank="act" does={did} />
    </>,
  )
  for (const key of '12sa') press(key)
  expect(did.mock.calls.flat()).toEqual(['act 1', 'act 2', 'station s', 'frame a'])
  did.mockClear()
  rerender(
    <>
      <Having keys="12a" rank="frame" does={did} />
      <Having keys="1s" rank="station" does={did} />
    </>,
  )
  for (const key of '12') press(key)
  expect(did.mock.calls.flat()).toEqual(['station 1', 'frame 2'])
})

test('typing, held keys and keys with Control are left alone; capitals are the same key', () => {
  const did = vi.fn()
  render(
    <>
      <Having keys="s" rank="station" does={did} />
      <input aria-label="field" />
    </>,
  )
  press('s', screen.getByLabelText('field'))
  press('s', document.body, { ctrlKey: true })
  press('s', document.body, { repeat: true })
  expect(did).not.toHaveBeenCalled()
  press('S')
  expect(did).toHaveBeenCalledOnce()
})

test('what is gone has no keys any more', () => {
  const { unmount } = render(<Having keys="q" rank="station" does={() => {}} />)
  expect(
    presentKeys()
      .find(({ rank }) => rank === 'station')!
      .acts.map(({ key }) => key),
  ).toContain('q')
  unmount()
  expect(presentKeys().flatMap(({ acts }) => acts)).toEqual([])
})

test('the sheet lists them where they belong, each once', () => {
  const shown = (open: boolean) => (
    <>
      <Having keys="1x" rank="frame" does={() => {}} />
      <Having keys="1" rank="act" does={() => {}} />
      <Keys open={open} onClose={() => {}} />
    </>
  )
  const { rerender } = render(shown(false))
  rerender(shown(true))
  expect(screen.getByText('Just now')).toBeTruthy()
  expect(screen.getByText('Everywhere')).toBeTruthy()
  expect(screen.queryByText('At this station')).toBeNull()
  expect(screen.getByText('act 1')).toBeTruthy()
  expect(screen.queryByText('frame 1')).toBeNull()
  expect(screen.getByText('frame x')).toBeTruthy()
})
