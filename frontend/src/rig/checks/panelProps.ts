import type { Check, Interface, Part, RigView } from '../../api/client'
import type { RigActs } from '../useRigActs'

/** What a panel is given of the part, its check and the interface. */
export interface CheckPanelProps {
  part: Part
  view: RigView
  check: Check | undefined
  acts: RigActs
  device: Interface | undefined
}
