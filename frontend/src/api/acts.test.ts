import { beforeEach, describe, expect, it } from 'vitest'
import { actsUnderWay, reportErrors, showThenPut } from './acts'
import { queryClient } from './queries'

const KEY = ['something', 'of a test']
const shown = () => queryClient.getQueryData(KEY)

/** Answers that come when they are told to. */
function server() {
  const asked: string[] = []
  const answers = new Map<string, (failed?: Error) => void>()
  const put = (value: string) => () =>
    new Promise<string>((resolve, reject) => {
      asked.push(value)
      answers.set(value, (failed) => (failed ? reject(failed) : resolve(value)))
    })
  return { asked, put, answer: (value: string, failed?: Error) => answers.get(value)!(failed) }
}

const soon = () => new Promise((resolve) => setTimeout(resolve, 5))

describe('a change that is shown before its answer', () => {
  beforeEach(() => void queryClient.setQueryData(KEY, 'before'))

  it('is put after the one before it, and the answer of that is not shown any more', async () => {
    const { asked, put, answer } = server()
    const first = showThenPut(KEY, 'loop', put('loop'))
    const second = showThenPut(KEY, 'once', put('once'))
    await soon()
    expect([shown(), asked]).toEqual(['once', ['loop']])
    answer('loop')
    await first
    await soon()
    expect([shown(), asked]).toEqual(['once', ['loop', 'once']])
    answer('once')
    await second
    expect(shown()).toBe('once')
  })

  it('goes back to what was before when it fails, and stops none behind it', async () => {
    const { put, answer } = server()
    const alone = showThenPut(KEY, 'refused', put('refused'))
    await soon()
    answer('refused', new Error('that cannot be'))
    await expect(alone).rejects.toThrow('that cannot be')
    expect(shown()).toBe('before')

    const first = showThenPut(KEY, 'refused too', put('refused too'))
    const second = showThenPut(KEY, 'fine', put('fine'))
    await soon()
    answer('refused too', new Error('that neither'))
    await expect(first).rejects.toThrow('that neither')
    expect(shown()).toBe('fine')
    await soon()
    answer('fine')
    await second
    expect(shown()).toBe('fine')
  })

  it('is not overwritten by the answer to a question that was asked before it was there', async () => {
    const { put, answer } = server()
    const { put: get, answer: say } = server()
    const ask = (value: string) =>
      queryClient.fetchQuery({ queryKey: KEY, queryFn: get(value), staleTime: 0 }).catch(() => undefined)
    const asked = ask('as it was')
    await soon()
    const change = showThenPut(KEY, 'changed', put('changed'))
    say('as it was')
    await asked
    expect(shown()).toBe('changed')

    const askedMeanwhile = ask('as it still was')
    await soon()
    answer('changed')
    await change
    say('as it still was')
    await askedMeanwhile
    expect(shown()).toBe('changed')
  })
})

describe('what must not overtake an act', () => {
  it('waits for all that was begun before it, also for what failed', async () => {
    const order: string[] = []
    let answer = () => {}
    void reportErrors(() => new Promise<void>((resolve) => (answer = resolve)).then(() => order.push('act')))
    void reportErrors(() => Promise.reject(new Error('refused')))
    const undone = actsUnderWay().then(() => order.push('undo'))
    await soon()
    expect(order).toEqual([])
    answer()
    await undone
    expect(order).toEqual(['act', 'undo'])
    await actsUnderWay()
  })
})
