import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import { AddBlock } from './AddBlock'

const kind = (name: string, group: string, says: string) => ({ kind: name.toLowerCase(), title: name, group, says })
const KINDS = [
  kind('Gate', 'dynamics', 'Closes between the notes.'),
  kind('Wah', 'colour', 'A resonance that wanders.'),
  kind('Overdrive', 'drive', 'Rounds off.'),
  kind('Octave up', 'drive', 'Folds the wave over.'),
]
afterEach(cleanup)

function shown() {
  const onAdd = vi.fn()
  const onClose = vi.fn()
  render(<AddBlock kinds={KINDS} onAdd={onAdd} onClose={onClose} />)
  const field = screen.getByRole('textbox', { name: 'Which block' })
  return { onAdd, onClose, field, type: (value: string) => fireEvent.change(field, { target: { value } }) }
}

test('a name that is begun goes before what only says so, and Enter takes it', () => {
  const { onAdd, onClose, field, type } = shown()
  type('ov')
  expect(screen.getAllByRole('button').map((each) => each.textContent)).toEqual(['Overdrive Rounds off.'])
  fireEvent.keyDown(field, { key: 'Enter' })
  expect(onAdd).toHaveBeenCalledWith('overdrive')
  expect(onClose).toHaveBeenCalled()
})

test('arrows go through what is left, and no further', () => {
  const { onAdd, field, type } = shown()
  type('o')
  for (const key of ['ArrowDown', 'ArrowDown', 'ArrowDown', 'Enter']) fireEvent.keyDown(field, { key })
  expect(onAdd).toHaveBeenCalledWith('octave up')
})

test('what is found by what it does, and what is not found at all', () => {
  const { onAdd, field, type } = shown()
  type('wanders')
  expect(screen.getByRole('button', { name: /Wah/ }).getAttribute('aria-current')).toBe('true')
  type('zither')
  expect(screen.getByText('No block is called so, or does that.')).toBeTruthy()
  fireEvent.keyDown(field, { key: 'Enter' })
  expect(onAdd).not.toHaveBeenCalled()
})
