import type { ComponentType } from 'react'
import type { Check, Interface, Part, RigView } from '../../api/client'
import type { RigActs } from '../useRigActs'
import { BleedPanel } from './BleedPanel'
import { ChordPanel } from './ChordPanel'
import { LatencyPanel } from './LatencyPanel'
import { LevelPanel } from './LevelPanel'
import { NoisePanel } from './NoisePanel'
import { TunerPanel } from './TunerPanel'

export interface CheckPanelProps {
  part: Part
  view: RigView
  check: Check | undefined
  acts: RigActs
  device: Interface | undefined
}

/** What each kind of check shows; which kinds there are, and in what order, the server tells. */
export const PANELS: Record<string, ComponentType<CheckPanelProps>> = {
  level: LevelPanel,
  tuning: TunerPanel,
  chords: ChordPanel,
  noise: NoisePanel,
  latency: LatencyPanel,
  bleed: BleedPanel,
}
