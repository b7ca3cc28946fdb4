import type { Choices, InputUse, MicOnRig, Rig } from '../api/client'

export const MOST_MICS = 8

/** One more microphone before the speaker, on an input that is free. */
export function anotherMic(rig: Rig, choices: Choices): MicOnRig {
  const taken = new Set((rig.mics ?? []).map((mic) => mic.name))
  const name = [...'ABCDEFGH'].map((letter) => `mic ${letter}`).find((entry) => !taken.has(entry))!
  return {
    name,
    kind: 'coil',
    point: '',
    distance_m: 0.08,
    off_centre_m: 0,
    height_m: 0,
    turned_deg: 0,
    tilted_deg: 0,
    absorber: false,
    input: plainInput(freeInput(rig, choices), 'microphone', 28),
  }
}

export const plainInput = (number: number, kind: 'instrument' | 'microphone', gain_db: number): InputUse => ({
  number,
  kind,
  gain_db,
  pad: false,
  phantom: false,
  flipped: false,
})

export function freeInput(rig: Rig, choices: Choices) {
  const taken = new Set([rig.di?.input?.number, ...(rig.mics ?? []).map((mic) => mic.input?.number)])
  for (let number = 1; number <= choices.interface_inputs; number++) if (!taken.has(number)) return number
  return choices.interface_inputs
}
