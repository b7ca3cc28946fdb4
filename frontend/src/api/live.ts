import { createStore, useStore } from 'zustand'
import { PAGE, type Parcel, type Print } from './client'
import type { components } from './schema'
import { queryClient, refreshAllSoon, refreshPrints, refreshPlacement, refreshRig, refreshTakes } from './queries'

// What the engine and the server tell, as the server describes it; nothing of it is typed by hand.
type Schemas = components['schemas']
type Message = Schemas['LiveMessage']
export type FrameRange = Schemas['Window']
type LiveChannel = Schemas['ChannelFile']

/** The pass that rolls, as the engine tells it. */
export type RollingPass = Schemas['Rolling']
export type StandbyState = Schemas['StandingBy']
export type Meters = Schemas['Meters']
export type ListenState = Schemas['Listening']
/** What the tuner read last; null when nothing can be read. */
export type Pitch = Omit<Schemas['Pitch'], 'event' | 'roll_id' | 'v'>

/** The pass that rolls; part, take and number are those of the first part, channels those of all in the engine's order. */
export interface RollState extends RollingPass {
  part_id: string
  take_id: string
  number: number
  channels: (LiveChannel & { part_id: string })[]
}

export interface LiveState {
  connected: boolean
  engine: 'starting' | 'warming' | 'ready'
  rolling: RollState | null
  listening: ListenState | null
  standingBy: StandbyState | null
  benching: Schemas['Benching'] | null
  bench: Schemas['BenchMeters'] | null
  pitch: Pitch | null
  /** The check that is being measured, from its listening until its result is kept. */
  measuring: string | null
  meters: Meters | null
  /** Growing columns of each channel of the roll: minimum and maximum by turns, in 127ths. */
  columns: number[][]
  framesPerColumn: number
  notices: { id: number; text: string; about?: string }[]
  newestTake: { take_id: string; part_id: string } | null
  newestTrial: { take_id: string; part_id: string } | null
  said: string
}

/** What is known of the engine without a socket. */
const CUT_OFF = {
  connected: false,
  engine: 'starting',
  rolling: null,
  listening: null,
  standingBy: null,
  benching: null,
  bench: null,
  measuring: null,
} satisfies Partial<LiveState>

/** What is known now. Whoever shows a part of it is drawn again when that part is another, and not for every meter. */
export const live = createStore<LiveState>(() => ({
  ...CUT_OFF,
  pitch: null,
  meters: null,
  columns: [],
  framesPerColumn: 1024,
  notices: [],
  newestTake: null,
  newestTrial: null,
  said: '',
}))
const set = (changes: Partial<LiveState>) => live.setState(changes)
let noticeId = 0
// A figure that vanishes with the note cannot be read: it stays for a moment.
const PITCH_KEPT_MS = 1500
let pitchAtMs = 0

/** Tell something until it is put away; of what is told `about` one thing the last stands. */
export function notice(text: string, about?: string) {
  noticeId += 1
  // Said again, it stands once.
  const others = live.getState().notices.filter((entry) => entry.text !== text && (!about || entry.about !== about))
  set({ notices: [...others.slice(-2), { id: noticeId, text, about }], said: text })
}

export function dismiss(id: number) {
  set({ notices: live.getState().notices.filter((entry) => entry.id !== id) })
}

/** A part of what is known; `pick` gives a value that is the same as long as nothing of it changed. */
export function useLive<T>(pick: (state: LiveState) => T): T {
  return useStore(live, pick)
}

/** From where to where a pass is played: its windows, or all of it while they come by hand. */
export function playedSpan(pass: RollingPass): FrameRange {
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

/** Show what is told of one thing in every list of its kind that is there. */
function showIn<T extends { id: string }>(lists: string, id: string, told: Partial<T>) {
  queryClient.setQueriesData<T[]>({ queryKey: [lists] }, (all) =>
    all?.map((entry) => (entry.id === id ? { ...entry, ...told } : entry)),
  )
}

function hear(message: Message) {
  const state = live.getState()
  switch (message.event) {
    case 'state': {
      const rolling = message.rolling && rollState(message.rolling)
      const before = state.rolling
      const began =
        rolling !== null && (rolling.roll_id !== before?.roll_id || rolling.pass_number !== before.pass_number)
      set({
        engine: message.engine,
        rolling,
        standingBy: message.standing_by ?? null,
        benching: message.benching ?? null,
        ...(!message.benching && { bench: null }),
        listening: message.listening,
        ...(message.listening && { measuring: message.listening.kind }),
        ...(message.listening &&
          message.listening.roll_id !== state.listening?.roll_id && { pitch: null, meters: null, columns: [] }),
        ...(began && {
          columns: rolling.channels.map(() => []),
          // Hands on the instrument put nothing away: what was told of before a roll goes when it begins.
          ...(rolling.roll_id !== before?.roll_id && { meters: null, notices: [] }),
          said: `rolling ${rolling.trial ? 'trial' : 'take'} ${rolling.number}`,
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
    case 'bench_meters':
      if (message.roll_id === state.benching?.roll_id) set({ bench: message })
      break
    case 'pitch': {
      const nowMs = performance.now()
      if (message.note) pitchAtMs = nowMs
      if (message.note || nowMs - pitchAtMs > PITCH_KEPT_MS) set({ pitch: message.note ? message : null })
      break
    }
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
      if (message.note) notice(message.note)
      if (message.trial) {
        if (!message.binned) set({ newestTrial: message })
        refreshPlacement()
        break
      }
      // One that went into the bin is told of, and not the one that is meant from now on.
      if (!message.binned) set({ newestTake: message })
      refreshTakes()
      break
    case 'changed':
      if (message.by !== PAGE) refreshAllSoon()
      break
    case 'print':
      if (message.state === 'rendering') {
        const { state, progress, times_real_time } = message
        showIn<Print>('prints', message.print_id, { state, progress, times_real_time })
      } else refreshPrints()
      break
    case 'work':
      if (message.kind === 'tone measure' && message.state === 'done')
        void queryClient.invalidateQueries({ queryKey: ['tones-found'] })
      if (message.kind !== 'parcel') break
      if (message.state === 'working') {
        showIn<Parcel>('parcels', message.work_id, { state: message.state, progress: message.progress })
      } else void queryClient.invalidateQueries({ queryKey: ['parcels'] })
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
    if (wasOpen) set(CUT_OFF)
    setTimeout(() => openLive(true), 1000)
  }
}
