import type { Sound } from '../api/client'

/** The sound that a take is heard by until another is chosen: the miked amp where there is one. */
export function heardFirst(sounds: Sound[]): Sound | undefined {
  return sounds.find((sound) => sound.kind === 'mic') ?? sounds[0]
}
