import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { BlindTest, Pair, Plan, Trial, TrialReport } from '../api/client'
import { BlindBench } from '../blind/BlindBench'
import { PairPanel } from './PairPanel'
import { planScale } from './planScale'
import { type Trials, besideEachOther } from './useTrials'

afterEach(cleanup)

const mic = (name: string, place_m: number[]) => ({
  name,
  kind: 'coil',
  title: 'moving coil',
  place_m,
  looks: [0, 0, -1],
  point_m: [0, 0],
  words: '',
  travel_ms: 0,
})
const front = {
  name: '1x12 open',
  title: '1×12, open',
  width_m: 0.5,
  height_m: 0.46,
  depth_m: 0.26,
  is_guitar: false,
  cones: [{ x_m: 0, y_m: 0, radius_m: 0.13, depth_m: 0.045 }],
  points: [{ name: 'cone', x_m: 0, y_m: 0 }],
}
const plan = (...mics: Plan['mics']) => ({ front, mics, pairs: [] }) as unknown as Plan

test('the plan is to scale, and all microphones are on it', () => {
  const near = planScale(plan(mic('mic A', [0, 0, 0.05]), mic('mic B', [0.1, 0.05, 0.1])), [], 540, 236)
  const [x0, y0] = near.above([0, 0, 0])
  const [x, y] = near.above([0.1, 0, 0.1])
  // A tenth of a metre is as long in every direction; away runs right, to the right runs up.
  expect(x - x0).toBeCloseTo(0.1 * near.perMetre)
  expect(y0 - y).toBeCloseTo(0.1 * near.perMetre)
  expect(near.perMetre).toBeCloseTo(96 / 0.0254 / near.oneTo)
  const far = planScale(plan(mic('mic A', [-0.4, 0, 2])), [[0.3, 0.2, 1]], 540, 236)
  expect(far.oneTo).toBeGreaterThan(near.oneTo)
  for (const place of [
    [-0.4, 0, 2],
    [0.3, 0.2, 1],
  ]) {
    const [across, down] = far.above(place)
    expect(across).toBeLessThan(far.aboveWidth)
    expect(down).toBeGreaterThan(0)
    expect(down).toBeLessThan(236)
  }
})

test('nine are beside each other, and an older one that is meant is among them', () => {
  const trials = Array.from({ length: 12 }, (_, index) => ({ id: `t${12 - index}` }))
  expect(besideEachOther(trials, null).map((entry) => entry.id)).toEqual([
    't4',
    't5',
    't6',
    't7',
    't8',
    't9',
    't10',
    't11',
    't12',
  ])
  expect(besideEachOther(trials, 't1').map((entry) => entry.id)).toEqual([
    't1',
    't5',
    't6',
    't7',
    't8',
    't9',
    't10',
    't11',
    't12',
  ])
})

const sum = (whole_db: number) => ({
  whole_db,
  thirds_db: [],
  named_db: { boom: whole_db, body: whole_db, honk: whole_db, bite: whole_db, fizz: whole_db },
  named_verdicts: { boom: 'good' as const },
  verdict: 'good' as const,
})
const pair: Pair = {
  first: 'mic A',
  second: 'mic B',
  delay: { delay_samples: 4.8, polarity: -1, uncertainty_samples: 0.01, coherence: 0.9 },
  delay_ms: 0.1,
  farther_cm: 3.4,
  level_difference_db: -2,
  same_source: true,
  notches_hz: [5000],
  now: sum(-4),
  bands: [],
  remedies: [
    {
      name: 'move',
      says: 'move mic B 3.4 cm closer and flip mic B',
      sum_of: sum(3),
      by_hand: true,
      delays: '',
      delay_ms: 0,
      flips: 'mic B',
    },
    {
      name: 'delay',
      says: 'delay mic A by 4.8 samples and flip mic B',
      sum_of: sum(3),
      by_hand: false,
      delays: 'mic A',
      delay_ms: 0.1,
      flips: 'mic B',
    },
    {
      name: 'flip',
      says: 'flip the polarity of mic B',
      sum_of: sum(1),
      by_hand: false,
      delays: '',
      delay_ms: 0,
      flips: 'mic B',
    },
  ],
  says: 'mic B is 3.4 cm farther than mic A, opposite polarity',
}

function panel(blend: Trial['blend'], report: Partial<TrialReport> = { pairs: [pair] }, chosen?: string) {
  const setBlend = vi.fn()
  const trial = { id: 't', blend } as Trial
  const whole = { says: [], in_time: null, ...report } as unknown as TrialReport
  render(<PairPanel trial={trial} report={whole} trials={{ setBlend } as unknown as Trials} chosen={chosen} />)
  return setBlend
}

test('three microphones are brought together at once, and the pair with the chosen one is shown', () => {
  const third = { ...pair, second: 'mic C', says: 'mic C is 9.0 cm farther than mic A, same polarity' }
  const in_time = {
    says: 'delay mic A by 12.6 samples, delay mic B by 7.8 samples, flip mic B',
    mics: [
      { name: 'mic A', delay_ms: 0.26, flipped: false },
      { name: 'mic B', delay_ms: 0.16, flipped: true },
      { name: 'mic C', delay_ms: 0, flipped: false },
    ],
    now: sum(-4),
    sum_of: sum(4),
  }
  const blend = { version: 1, strips: [], image: 'mono' as const, width: 1 }
  const setBlend = panel(blend, { pairs: [pair, third], in_time }, 'mic C')
  expect(screen.getByRole('heading').textContent).toBe(third.says)
  expect(screen.getByRole('button', { name: 'mic A and mic B' })).toBeTruthy()
  fireEvent.click(screen.getByRole('radio', { name: /delay mic A by 12.6 samples/ }))
  const strips = [
    { name: 'mic A', on: true, gain_db: 0, delay_ms: 0.26, flipped: false },
    { name: 'mic B', on: true, gain_db: 0, delay_ms: 0.16, flipped: true },
  ]
  expect(setBlend).toHaveBeenCalledWith(expect.anything(), { ...blend, strips })
})

test('a remedy is kept as data on the strips that it changes; what was set besides stays', () => {
  const strip = { name: 'mic B', on: true, gain_db: -3, delay_ms: 0, flipped: false }
  const setBlend = panel({ version: 1, strips: [strip, { ...strip, name: 'mic C' }], image: 'mono', width: 1 })
  expect(screen.getByRole('radio', { name: /as recorded/ }).getAttribute('aria-checked')).toBe('true')
  expect(screen.getByText('or move mic B 3.4 cm closer and flip mic B')).toBeTruthy()
  fireEvent.click(screen.getByRole('radio', { name: /delay mic A/ }))
  const strips = (setBlend.mock.calls[0]![1] as Trial['blend']).strips
  expect(strips.find((entry) => entry.name === 'mic A')).toMatchObject({ delay_ms: 0.1, flipped: false })
  expect(strips.find((entry) => entry.name === 'mic B')).toMatchObject({ delay_ms: 0, flipped: true, gain_db: -3 })
  expect(strips.find((entry) => entry.name === 'mic C')).toMatchObject({ gain_db: -3 })
})

test('what is on is marked, and taken off by as recorded', () => {
  const flipped = { name: 'mic B', on: true, gain_db: 0, delay_ms: 0, flipped: true }
  const setBlend = panel({ version: 1, strips: [flipped], image: 'mono', width: 1 })
  expect(screen.getByRole('radio', { name: /flip the polarity/ }).getAttribute('aria-checked')).toBe('true')
  expect(screen.getByRole('radio', { name: /delay mic A/ }).getAttribute('aria-checked')).toBe('false')
  fireEvent.click(screen.getByRole('radio', { name: /as recorded/ }))
  expect((setBlend.mock.calls[0]![1] as Trial['blend']).strips).toEqual([])
})

const blind = (changes: Partial<BlindTest>): BlindTest => ({
  id: 'b',
  kind: 'trial',
  round: 0,
  letters: ['A', 'B'],
  dealt: ['two', 'one'],
  decided: 0,
  enough: 6,
  revealed: false,
  counts: [],
  favourite: null,
  chance: null,
  says: '',
  ...changes,
})

test('a blind test names nothing before it is revealed; keys hear letters and choose what is heard', () => {
  const acts = { onHear: vi.fn(), onChoose: vi.fn(), onReveal: vi.fn(), onAgain: vi.fn(), onLeave: vi.fn() }
  const shown = render(<BlindBench test={blind({})} heard={null} nameOf={(id) => `trial ${id}`} {...acts} />)
  expect(screen.queryByText(/trial/)).toBeNull()
  fireEvent.keyDown(document.body, { key: '2' })
  expect(acts.onHear).toHaveBeenCalledWith('one')
  fireEvent.keyDown(document.body, { key: 'Enter' })
  expect(acts.onChoose).not.toHaveBeenCalled()
  shown.rerender(<BlindBench test={blind({})} heard="one" nameOf={(id) => `trial ${id}`} {...acts} />)
  fireEvent.keyDown(document.body, { key: 'Enter' })
  expect(acts.onChoose).toHaveBeenCalledWith('B')
  const counts = [
    { sound: 'one', count: 7 },
    { sound: 'two', count: 0 },
  ]
  shown.rerender(
    <BlindBench
      test={blind({ revealed: true, counts, favourite: 'one', chance: 0.016, says: 'a real preference' })}
      heard={null}
      nameOf={(id) => `trial ${id}`}
      {...acts}
    />,
  )
  expect(screen.getByRole('heading').textContent).toBe('a real preference')
  expect(screen.getByText('trial one')).toBeTruthy()
})
