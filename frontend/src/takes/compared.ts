import { answered, api } from '../api/client'
import { monoSound } from '../sound/player'

/** A channel by its name or kind, or the DI through a tone; null: as each take was recorded. */
export type HeardAs = { channel: string } | { tone: string } | null

/** Takes at a stretch of the song, and their sounds with the gains that make them equally loud there. */
export async function compareTakes(ids: string[], [from_frame, to_frame]: [number, number], as: HeardAs = null) {
  const compared = await answered(
    api.GET('/api/takes/compared', { params: { query: { id: ids, from_frame, to_frame, ...as } } }),
  )
  const sounds = compared.sounds.map((sound) => monoSound(sound.take_id, sound, sound.gain_db))
  return { compared, sounds }
}
