import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { Session } from '../api/client'
import { SectionList } from './SectionList'

afterEach(cleanup)

const section = (id: string, name: string, first_bar: number, bars: number, phrase_bars: number) => ({
  id,
  name,
  first_bar,
  bars,
  phrase_bars,
})

function shown() {
  const onChange = vi.fn()
  const sections = [section('i', 'Intro', 1, 4, 4), section('v', 'Verse', 5, 8, 2), section('c', 'Chorus', 13, 8, 4)]
  render(<SectionList session={{ sections, song_bars: 20 } as unknown as Session} onChange={onChange} />)
  return {
    press: (name: string) => fireEvent.click(screen.getByRole('button', { name })),
    wanted: () => onChange.mock.lastCall![0] as ReturnType<typeof section>[],
  }
}

test('a section that goes earlier keeps its length, and the others follow in their order', () => {
  const { press, wanted } = shown()
  press('Chorus earlier')
  expect(wanted().map((each) => each.id)).toEqual(['i', 'c', 'v'])
  press('Intro later')
  expect(wanted().map((each) => [each.id, each.bars])).toEqual([
    ['v', 8],
    ['i', 4],
    ['c', 8],
  ])
})

test('a phrase is never longer than its section', () => {
  const { press, wanted } = shown()
  press('Bars of Intro: less')
  expect(wanted()[0]).toMatchObject({ bars: 3, phrase_bars: 3 })
})

test('the first goes not earlier and the last not later; a removed one is left out', () => {
  const { press, wanted } = shown()
  expect(screen.getByRole('button', { name: 'Intro earlier' }).hasAttribute('disabled')).toBe(true)
  expect(screen.getByRole('button', { name: 'Chorus later' }).hasAttribute('disabled')).toBe(true)
  press('Remove Verse')
  expect(wanted().map((each) => each.name)).toEqual(['Intro', 'Chorus'])
})
