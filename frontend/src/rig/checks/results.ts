/** What the server keeps of each check; levels are null where there is only silence. */
export interface LevelResult {
  aim_average_dbfs: [number, number]
  aim_peak_dbfs: number
  channels: {
    name: string
    input: number
    gain_db: number
    average_dbfs: number | null
    peak_dbfs: number | null
    played_share: number
    flat_tops: number
    turn_db: number
    verdict: 'good' | 'look' | 'fix'
    says: string
  }[]
}

export interface NoiseResult {
  channels: {
    name: string
    verdict: 'good' | 'look' | 'fix'
    playing_dbfs: number
    playing_measured: boolean
    advice: string[]
    floor_dbfs: number | null
    floor_dbfs_a: number | null
    hum_dbfs: number | null
    buzz_dbfs: number | null
    hiss_dbfs: number | null
    mains_hz: number | null
    harmonics: { frequency_hz: number; level_dbfs: number }[]
    below_playing_db: number | null
    worst: string
  }[]
}

export interface BleedResult {
  channels: {
    name: string
    verdict: 'good' | 'look' | 'fix'
    playing_dbfs: number
    leak_dbfs: number | null
    below_playing_db: number | null
    delay_ms: number
    found: boolean
  }[]
}

export interface LatencyResult {
  round_trip_frames: number
  round_trip_ms: number
  spread_frames: number
  pings: number
  buffer_frames: number
  buffer_share: number
  left_frames: number
  feel: string
  table: { buffer_frames: number; buffer_ms: number; round_trip_ms: number; feel: string }[]
}

export interface TuningResult {
  reference_pitch_hz: number
  strings: { string: number; note: string; target_hz: number; cents: number | null; drift_cents: number | null }[]
}
