import type { ComponentType } from 'react'
import { BleedPanel } from './BleedPanel'
import { ChordPanel } from './ChordPanel'
import { LatencyPanel } from './LatencyPanel'
import { LevelPanel } from './LevelPanel'
import { NoisePanel } from './NoisePanel'
import type { CheckPanelProps } from './panelProps'
import { TunerPanel } from './TunerPanel'

/** What each kind of check shows; which kinds there are, and in what order, the server tells. */
export const PANELS: Record<string, ComponentType<CheckPanelProps>> = {
  level: LevelPanel,
  tuning: TunerPanel,
  chords: ChordPanel,
  noise: NoisePanel,
  latency: LatencyPanel,
  bleed: BleedPanel,
}
