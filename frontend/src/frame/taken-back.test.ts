import { expect, test } from 'vitest'
import { TakenBack } from './taken-back'

function counter() {
  const acts = new TakenBack()
  const state = { value: 0 }
  const set = (value: number) => {
    const before = state.value
    state.value = value
    acts.remember(
      async () => void (state.value = before),
      async () => void (state.value = value),
    )
  }
  return { acts, state, set }
}

test('what was done is taken back and done again, in order', async () => {
  const { acts, state, set } = counter()
  set(1)
  set(2)
  expect(await acts.undo()).toBe(true)
  expect(state.value).toBe(1)
  expect(await acts.undo()).toBe(true)
  expect(state.value).toBe(0)
  expect(await acts.undo()).toBe(false)
  expect(await acts.redo()).toBe(true)
  expect(await acts.redo()).toBe(true)
  expect(state.value).toBe(2)
  expect(await acts.redo()).toBe(false)
})

test('a new act forgets what was taken back', async () => {
  const { acts, state, set } = counter()
  set(1)
  await acts.undo()
  set(5)
  expect(await acts.redo()).toBe(false)
  expect(state.value).toBe(5)
})

test('what could not be taken back can be tried again', async () => {
  const acts = new TakenBack()
  let fails = true
  acts.remember(
    async () => {
      if (fails) throw new Error('no database')
    },
    async () => {},
  )
  await expect(acts.undo()).rejects.toThrow('no database')
  fails = false
  expect(await acts.undo()).toBe(true)
})
