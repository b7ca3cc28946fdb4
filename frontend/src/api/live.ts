import { useSyncExternalStore } from 'react'
import { PAGE, type Print } from './client'
import { queryClient, refreshAllSoon, refreshPrints, refreshRig, refreshTakes } from './queries'

export interface Window {
  from_frame: number
  to_frame: number
}

interface LiveChannel {
  name: string
  kind: 'di' | 'mic' | 'sim'
}

interface RollingPart {
  part_id: string
  take_id: string
  number: number
  channels: LiveChannel[]
}

/** The pass that rolls, as the engine tells it. */
export interface RollingPass {
  roll_id: string
  session_id: string
  section_id: string | null
  way: 'once' | 'loop' | 'windows'
  pass_number: number
  again: boolean
  from_frame: number
  play_from_frame: number
  to_frame: number
  windows: Window[]
  by_hand: boolean
  punched_in: boolean
  parts: RollingPart[]
}

/** The pass that rolls; part, take and number are those of the first part, channels those of all in the engine's order. */
export interface RollState extends RollingPass {
  part_id: string
  take_id: string
  number: number
  channels: (LiveChannel & { part_id: string })[]
}

export interface StandbyState {
  roll_id: string
  session_id: string
  channels: LiveChannel[]
}

export interface Meters {
  roll_id: string
  frame: number
  bar: number
  beat: number
  peak_dbfs: number[]
  average_dbfs: number[]
  space_left_s: number | null
  lost_frames: number
  monitor_load: number | null
}

export interface ListenState {
  roll_id: string
  session_id: string
  part_id: string | null
  kind: 'level' | 'tuning' | 'noise' | 'bleed' | 'latency' | 'computer'
  frames: number
  channels: LiveChannel[]
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
  standingBy: StandbyState | null
  pitch: Pitch | null
  /** The check that is being measured, from its listening until its result is kept. */
  measuring: string | null
  meters: Meters | null
  /** Growing columns of each channel of the roll: minimum and maximum by turns, in 127ths. */
  columns: number[][]
  framesPerColumn: number
  notices: { id: number; text: string }[]
  newestTake: { take_id: string; part_id: string } | null
  said: string
}

type Message =
  | { event: 'changed'; by: string }
  | {
      event: 'state'
      engine: LiveState['engine']
      rolling: RollingPass | null
      listening: ListenState | null
      standing_by: StandbyState | null
    }
  | ({ event: 'meters'; frames_per_column: number; first_column: number; columns: [number, number][][] } & Meters)
  | ({ event: 'pitch' } & Pitch)
  | { event: 'check'; part_id: string | null; kind: string; problem: string }
  | { event: 'backing'; backing_id: string }
  | { event: 'ended'; reason: string; problem: string; frames: number }
  | { event: 'take'; take_id: string; part_id: string; note: string }
  | { event: 'print'; print_id: string; material_id: string; state: Print['state']; progress: number; times_real_time: number | null }
  | { event: 'notice'; problem: string }

let state: LiveState = {
  connected: false,
  engine: 'starting',
  rolling: null,
  listening: null,
  standingBy: null,
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
  // Said again, it stands once.
  const others = state.notices.filter((entry) => entry.text !== text)
  set({ notices: [...others.slice(-2), { id: noticeId, text }], said: text })
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

/** From where to where a pass is played: its windows, or all of it while they come by hand. */
export function playedSpan(pass: RollingPass): Window {
  const last = pass.windows.at(-1)
  if (pass.by_hand || !last) return { from_frame: pass.play_from_frame, to_frame: pass.to_frame }
  return { from_frame: pass.windows[0]!.from_frame, to_frame: last.to_frame }
}

function rollState(pass: RollingPass): RollState {
  const first = pass.parts[0]!
  return {
    ...pass,
    part_id: first.part_id,
    take_id: first.take_id,
    number: first.number,
    channels: pass.parts.flatMap((part) => part.channels.map((channel) => ({ ...channel, part_id: part.part_id }))),
  }
}

function hear(message: Message) {
  switch (message.event) {
    case 'state': {
      const rolling = message.rolling && rollState(message.rolling)
      const before = state.rolling
      const began = rolling !== null && (rolling.roll_id !== before?.roll_id || rolling.pass_number !== before.pass_number)
      set({
        engine: message.engine,
        rolling,
        standingBy: message.standing_by ?? null,
        listening: message.listening,
        ...(message.listening && { measuring: message.listening.kind }),
        ...(message.listening && message.listening.roll_id !== state.listening?.roll_id && { pitch: null, meters: null, columns: [] }),
        ...(began && {
          columns: rolling.channels.map(() => []),
          // Hands on the instrument put nothing away: what was told of before a roll goes when it begins.
          ...(rolling.roll_id !== before?.roll_id && { meters: null, notices: [] }),
          said: `rolling take ${rolling.number}`,
        }),
      })
      break
    }
    case 'meters': {
      if (state.rolling && message.roll_id !== state.rolling.roll_id) break
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
      set({ newestTake: message })
      if (message.note) notice(message.note)
      refreshTakes()
      break
    case 'changed':
      if (message.by !== PAGE) refreshAllSoon()
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
    if (wasOpen) set({ connected: false, engine: 'starting', rolling: null, listening: null, standingBy: null, measuring: null })
    setTimeout(() => openLive(true), 1000)
  }
}
