import { useChoice } from './Choice'
import { contextOf } from './contextOf'
import { useOpenSession } from './OpenSession'
import { useRollActs } from './useRollActs'

const [Provide, useRolling] = contextOf<ReturnType<typeof useRollActs>>('rolling')
export { useRolling }

/** How the next roll goes, and what starts and ends it. */
export function RollingProvider({ children }: { children: React.ReactNode }) {
  const { session } = useOpenSession()
  const { player, sectionId } = useChoice()
  return <Provide value={useRollActs(session.id, sectionId, player)}>{children}</Provide>
}
