import { useSyncExternalStore } from 'react'
import type { Print } from './client'
import { queryClient, refreshPrints, refreshRig, refreshTakes } from './queries'

export interface RollState {
  roll_id: string
  session_id: string
  part_id: string
  number: number
  from_frame: number
  window_from_frame: number
  window_to_frame: number
  to_frame: number
  channels: { name: string; kind: 'di' | 'mic' | 'sim' }[]
}

export interface Meters {
  frame: number
  bar: number
  beat: number
  peak_dbfs: number[]
  average_dbfs: number[]
}

export interface ListenState {
  roll_id: string
  session_id: string
  part_id: string | null
  kind: 'level' | 'tuning' | 'noise' | 'bleed' | 'latency' | 'computer'
  frames: number
  channels: { name: string; kind: 'di' | 'mic' | 'sim' }[]
}

/** What the tuner reads now; null while nothing can be read. */
export interface Pitch {
  note: string | null
  string: number | null
  cents: number | null
  frequency_hz: number | null
  drift_cents: number | null
  since_onset_s: number | null
}

export interface LiveState {
  connected: boolean
  engine: 'starting' | 'warming' | 'ready'
  rolling: RollState | null
  listening: ListenState | null
  pitch: Pitch | null
  /** The check that is being measured, from its listening until its result is kept. */
  measuring: string | null
  meters: Meters | null
  /** Growing columns of each channel of the roll: minimum and maximum by turns, in 127ths. */
  columns: number[][]
  framesPerColumn: number
  notices: { id: number; text: string }[]
  newestTake: string | null
  said: string
}

type Message =
  | { event: 'state'; engine: LiveState['engine']; rolling: RollState | null; listening: ListenState | null }
  | ({ event: 'meters'; frames_per_column: number; first_column: number; columns: [number, number][][] } & Meters)
  | ({ event: 'pitch' } & Pitch)
  | { event: 'check'; part_id: string | null; kind: string; problem: string }
  | { event: 'backing'; backing_id: string }
  | { event: 'ended'; reason: string; problem: string; frames: number }
  | { event: 'take'; take_id: string; note: string }
  | { event: 'print'; print_id: string; take_id: string; state: Print['state']; progress: number; times_real_time: number | null }
  | { event: 'notice'; problem: string }

let state: LiveState = {
  connected: false,
  engine: 'starting',
  rolling: null,
  listening: null,
  pitch: null,
  measuring: null,
  meters: null,
  columns: [],
  framesPerColumn: 1024,
  notices: [],
  newestTake: null,
  said: '',
}
const listeners = new Set<() => void>()
let noticeId = 0

function set(changes: Partial<LiveState>) {
  state = { ...state, ...changes }
  for (const listener of listeners) listener()
}

export function notice(text: string) {
  noticeId += 1
  set({ notices: [...state.notices.slice(-2), { id: noticeId, text }], said: text })
}

export function dismiss(id: number) {
  set({ notices: state.notices.filter((entry) => entry.id !== id) })
}

export function liveState() {
  return state
}

export function subscribe(listener: () => void) {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

export function useLive(): LiveState {
  return useSyncExternalStore(subscribe, liveState)
}

function hear(message: Message) {
  switch (message.event) {
    case 'state': {
      const began = message.rolling !== null && message.rolling.roll_id !== state.rolling?.roll_id
      set({
        engine: message.engine,
        rolling: message.rolling,
        listening: message.listening,
        ...(message.listening && { measuring: message.listening.kind }),
        ...(message.listening && message.listening.roll_id !== state.listening?.roll_id && { pitch: null, meters: null, columns: [] }),
        ...(began && {
          columns: message.rolling!.channels.map(() => []),
          meters: null,
          said: `rolling take ${message.rolling!.number}`,
        }),
      })
      break
    }
    case 'meters': {
      for (const [index, fresh] of message.columns.entries()) {
        const grown = (state.columns[index] ??= [])
        for (const [low, high] of fresh) grown.push(low, high)
      }
      set({ meters: message, framesPerColumn: message.frames_per_column })
      break
    }
    case 'pitch':
      set({ pitch: message })
      break
    case 'check':
      set({ measuring: null, said: message.problem || `${message.kind} checked` })
      if (message.problem) notice(message.problem)
      refreshRig()
      break
    case 'backing':
      set({ measuring: null, said: 'recorded what the computer played' })
      void queryClient.invalidateQueries({ queryKey: ['backings'] })
      break
    case 'ended':
      set({ rolling: null, listening: null, said: 'stopped' })
      if (message.problem && !state.measuring) notice(message.problem)
      break
    case 'take':
      set({ newestTake: message.take_id })
      if (message.note) notice(message.note)
      refreshTakes()
      break
    case 'print':
      if (message.state === 'rendering') {
        queryClient.setQueriesData<Print[]>({ queryKey: ['prints'] }, (prints) =>
          prints?.map((print) =>
            print.id === message.print_id
              ? { ...print, state: message.state, progress: message.progress, times_real_time: message.times_real_time }
              : print,
          ),
        )
      } else refreshPrints()
      break
    case 'notice':
      notice(message.problem)
  }
}

const FIRST_LOOK_MS = 2000

/** Keep one socket open for as long as the page lives; a lost one is opened again. */
export function openLive(again = false) {
  const socket = new WebSocket(`${window.location.origin.replace(/^http/, 'ws')}/api/live`)
  let wasOpen = false
  socket.onopen = () => {
    wasOpen = true
    set({ connected: true })
    // What happened while nobody listened is asked for; at the first time that is the moment since the opening.
    setTimeout(refreshTakes, again ? 0 : FIRST_LOOK_MS)
  }
  socket.onmessage = (event) => hear(JSON.parse(event.data as string) as Message)
  socket.onclose = () => {
    if (wasOpen) set({ connected: false, engine: 'starting', rolling: null, listening: null, measuring: null })
    setTimeout(() => openLive(true), 1000)
  }
}
