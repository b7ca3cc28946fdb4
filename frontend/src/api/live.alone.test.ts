import { beforeEach, expect, test, vi } from 'vitest'

class FakeSocket {
  static opened: FakeSocket[] = []
  onopen: () => void = () => {}
  onclose: () => void = () => {}
  onmessage: (event: { data: string }) => void = () => {}
  constructor(readonly url: string) {
    FakeSocket.opened.push(this)
  }
  tell(message: object) {
    this.onmessage({ data: JSON.stringify(message) })
  }
}

const rolling = {
  roll_id: 'r1',
  session_id: 's',
  pass_number: 1,
  from_frame: 0,
  to_frame: 250,
  windows: [{ from_frame: 100, to_frame: 200 }],
  parts: [
    {
      part_id: 'p',
      take_id: 't1',
      number: 13,
      channels: [
        { name: 'DI', kind: 'di' },
        { name: 'mic A', kind: 'mic' },
      ],
    },
  ],
}
const meters = (columns: number[][][]) => ({
  event: 'meters',
  roll_id: 'r1',
  frames_per_column: 1024,
  first_column: 0,
  columns,
  frame: 50,
  bar: 12,
  beat: 3,
  peak_dbfs: [-9, -12],
  average_dbfs: [-20, -24],
})

async function fresh() {
  vi.resetModules()
  FakeSocket.opened = []
  const live = await import('./live')
  const queries = await import('./queries')
  live.openLive()
  const socket = FakeSocket.opened[0]!
  socket.onopen()
  return { live, queries, socket }
}

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('WebSocket', FakeSocket)
})

test('waves of a roll grow with every message, and a new roll begins empty', async () => {
  const { live, socket } = await fresh()
  socket.tell({ event: 'state', engine: 'ready', rolling })
  socket.tell(meters([[[-3, 4]], [[-9, 9]]]))
  socket.tell(meters([[[-5, 6]], [[-1, 2]]]))
  expect(live.live.getState().columns).toEqual([
    [-3, 4, -5, 6],
    [-9, 9, -1, 2],
  ])
  expect(live.live.getState().meters!.peak_dbfs).toEqual([-9, -12])
  socket.tell({ event: 'state', engine: 'ready', rolling })
  expect(live.live.getState().columns[0]).toHaveLength(4)
  socket.tell({ event: 'state', engine: 'ready', rolling: { ...rolling, roll_id: 'r2' } })
  expect(live.live.getState().columns).toEqual([[], []])
  expect(live.live.getState().meters).toBeNull()
})

test('a pass that begins where another ended begins with empty waves; a press by hand keeps them', async () => {
  const { live, socket } = await fresh()
  socket.tell({ event: 'state', engine: 'ready', rolling })
  socket.tell(meters([[[-3, 4]], [[-9, 9]]]))
  socket.tell({ event: 'state', engine: 'ready', rolling: { ...rolling, punched_in: true } })
  expect(live.live.getState().columns[0]).toHaveLength(2)
  const parts = [{ ...rolling.parts[0], take_id: 't2', number: 14 }]
  socket.tell({ event: 'state', engine: 'ready', rolling: { ...rolling, pass_number: 2, parts } })
  expect(live.live.getState().columns).toEqual([[], []])
  expect(live.live.getState().rolling).toMatchObject({ number: 14, take_id: 't2', part_id: 'p' })
})

test('what went wrong with a roll is told to the person', async () => {
  const { live, socket } = await fresh()
  socket.tell({ event: 'state', engine: 'ready', rolling })
  socket.tell({ event: 'ended', reason: 'disk', problem: 'the disk is full', frames: 9 })
  expect(live.live.getState().rolling).toBeNull()
  expect(live.live.getState().notices.map((entry) => entry.text)).toEqual(['the disk is full'])
  live.dismiss(live.live.getState().notices[0]!.id)
  expect(live.live.getState().notices).toEqual([])
})

test('what was told before a roll is put away when it begins, and what is told within it stays', async () => {
  const { live, socket } = await fresh()
  live.notice('take 12 is in the bin')
  socket.tell({ event: 'state', engine: 'ready', rolling })
  expect(live.live.getState().notices).toEqual([])
  live.notice('the interface delivers nothing')
  socket.tell({ event: 'state', engine: 'ready', rolling: { ...rolling, pass_number: 2 } })
  expect(live.live.getState().notices).toHaveLength(1)
})

test('an entered take is chosen, and everything that counts takes is asked for again', async () => {
  const { live, queries, socket } = await fresh()
  queries.queryClient.setQueryData(['takes', 's'], [])
  socket.tell({ event: 'take', take_id: 't9', part_id: 'p', note: '' })
  expect(live.live.getState().newestTake).toMatchObject({ take_id: 't9', part_id: 'p' })
  expect(queries.queryClient.getQueryState(['takes', 's'])!.isInvalidated).toBe(true)
})

test('progress of a print moves its bar without a question to the server', async () => {
  const { queries, socket } = await fresh()
  queries.queryClient.setQueryData(
    ['prints', 's'],
    [
      { id: 'x', state: 'waiting', progress: 0 },
      { id: 'y', state: 'ready', progress: 1 },
    ],
  )
  socket.tell({
    event: 'print',
    print_id: 'x',
    material_id: 't',
    state: 'rendering',
    progress: 0.4,
    times_real_time: 15,
  })
  expect(queries.queryClient.getQueryData(['prints', 's'])).toEqual([
    { id: 'x', state: 'rendering', progress: 0.4, times_real_time: 15 },
    { id: 'y', state: 'ready', progress: 1 },
  ])
})

test('a lost connection stops the roll on the screen and is opened again', async () => {
  const { live, socket } = await fresh()
  socket.tell({ event: 'state', engine: 'ready', rolling })
  socket.onclose()
  expect(live.live.getState()).toMatchObject({ connected: false, engine: 'starting', rolling: null })
  vi.advanceTimersByTime(1100)
  expect(FakeSocket.opened).toHaveLength(2)
  FakeSocket.opened[1]!.onopen()
  expect(live.live.getState().connected).toBe(true)
})
