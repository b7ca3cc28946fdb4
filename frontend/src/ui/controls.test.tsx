import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import { Slider } from './Slider'
import { Stepper } from './Stepper'
import { TextField } from './TextField'

afterEach(cleanup)

test('a rule moves by its step, by ten of them with Shift, and not past its ends', () => {
  const changed = vi.fn()
  render(<Slider label="Gain" value={-2} from={-10} to={0} unit="dB" onChange={changed} />)
  const rule = screen.getByRole('slider', { name: 'Gain' })
  expect(rule.getAttribute('aria-valuetext')).toBe('−2 dB')
  fireEvent.keyDown(rule, { key: 'ArrowLeft' })
  expect(changed).toHaveBeenLastCalledWith(-3)
  fireEvent.keyDown(rule, { key: 'ArrowRight', shiftKey: true })
  expect(changed).toHaveBeenLastCalledWith(0)
  fireEvent.keyDown(rule, { key: 'a' })
  expect(changed).toHaveBeenCalledTimes(2)
})

test('a figure is typed with a comma or a true minus, and Escape leaves it', () => {
  const changed = vi.fn()
  render(<Slider label="Cable" value={5} from={-20} to={30} step={0.5} digits={1} unit="m" onChange={changed} />)
  fireEvent.click(screen.getByRole('button', { name: 'Type Cable' }))
  const field = screen.getByLabelText('Cable, typed')
  fireEvent.change(field, { target: { value: '7,4' } })
  fireEvent.keyDown(field, { key: 'Enter' })
  expect(changed).toHaveBeenLastCalledWith(7.5)
  fireEvent.click(screen.getByRole('button', { name: 'Type Cable' }))
  fireEvent.change(screen.getByLabelText('Cable, typed'), { target: { value: '−12' } })
  fireEvent.keyDown(screen.getByLabelText('Cable, typed'), { key: 'Enter' })
  expect(changed).toHaveBeenLastCalledWith(-12)
  fireEvent.click(screen.getByRole('button', { name: 'Type Cable' }))
  fireEvent.change(screen.getByLabelText('Cable, typed'), { target: { value: 'long' } })
  fireEvent.keyDown(screen.getByLabelText('Cable, typed'), { key: 'Enter' })
  fireEvent.click(screen.getByRole('button', { name: 'Type Cable' }))
  fireEvent.keyDown(screen.getByLabelText('Cable, typed'), { key: 'Escape' })
  expect(changed).toHaveBeenCalledTimes(2)
})

test('a rule that is off is not moved', () => {
  const changed = vi.fn()
  render(<Slider label="Gain" value={0} from={0} to={10} disabled onChange={changed} />)
  fireEvent.keyDown(screen.getByRole('slider'), { key: 'ArrowRight' })
  expect(changed).not.toHaveBeenCalled()
})

test('a step stops at its ends', () => {
  const changed = vi.fn()
  render(<Stepper label="Bars" value={1} from={1} to={4} unit="bars" onChange={changed} />)
  expect(screen.getByRole('button', { name: 'Bars: less' }).hasAttribute('disabled')).toBe(true)
  fireEvent.click(screen.getByRole('button', { name: 'Bars: more' }))
  expect(changed).toHaveBeenCalledWith(2)
})

test('a word is kept when the field is left, and an empty one is not', () => {
  const kept = vi.fn()
  render(<TextField label="Name" value="Verse" onKeep={kept} />)
  const field = screen.getByLabelText<HTMLInputElement>('Name')
  fireEvent.change(field, { target: { value: '  Bridge ' } })
  fireEvent.blur(field)
  expect(kept).toHaveBeenCalledWith('Bridge')
  fireEvent.change(field, { target: { value: '   ' } })
  fireEvent.blur(field)
  expect(kept).toHaveBeenCalledTimes(1)
  expect(field.value).toBe('Verse')
  fireEvent.change(field, { target: { value: 'x' } })
  fireEvent.keyDown(field, { key: 'Escape' })
  expect(field.value).toBe('Verse')
})

test('a new value from elsewhere is shown, but not over what is being typed', () => {
  const kept = vi.fn()
  const field = () => screen.getByLabelText<HTMLInputElement>('Away')
  const { rerender } = render(<TextField label="Away" value="6 cm" onKeep={kept} />)
  rerender(<TextField label="Away" value="8 cm" onKeep={kept} />)
  expect(field().value).toBe('8 cm')
  fireEvent.change(field(), { target: { value: '1 in' } })
  rerender(<TextField label="Away" value="10 cm" onKeep={kept} />)
  expect(field().value).toBe('1 in')
  fireEvent.blur(field())
  expect(kept).toHaveBeenLastCalledWith('1 in')
  fireEvent.change(field(), { target: { value: '2 in' } })
  rerender(<TextField label="Away" value="2.5 cm" onKeep={kept} />)
  fireEvent.keyDown(field(), { key: 'Escape' })
  expect(field().value).toBe('2.5 cm')
  expect(kept).toHaveBeenCalledTimes(1)
})
