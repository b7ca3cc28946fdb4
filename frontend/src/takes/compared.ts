import { answered, api } from '../api/client'
import type { PlayerSound } from '../sound/player'

/** A channel by its name or kind, or the DI through a tone; null: as each take was recorded. */
export type HeardAs = { channel: string } | { tone: string } | null

/** Takes at a stretch of the song, and their sounds with the gains that make them equally loud there. */
export async function compareTakes(ids: string[], [from_frame, to_frame]: [number, number], as: HeardAs = null) {
  const compared = await answered(
    api.GET('/api/takes/compared', { params: { query: { id: ids, from_frame, to_frame, ...as } } }),
  )
  const sounds: PlayerSound[] = compared.sounds.map((sound) => ({
    key: sound.take_id,
    url: sound.audio_url,
    gainDb: sound.gain_db,
    fromFrame: compared.from_frame,
  }))
  return { compared, sounds }
}
