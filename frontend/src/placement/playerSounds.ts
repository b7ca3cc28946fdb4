import type { ComparedTrials } from '../api/client'
import { type PlayerSound, streamedChannel } from '../sound/player'

/** Each clip with its ears, as loud as the others. */
export function playerSounds(compared: ComparedTrials): PlayerSound[] {
  return compared.sounds.map((sound) => ({
    key: sound.trial_id,
    gainDb: sound.gain_db,
    channels: sound.channels.map((channel) => streamedChannel(channel, channel.left, channel.right)),
  }))
}
