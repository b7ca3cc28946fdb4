import { useChoice } from './Choice'
import { contextOf } from './contextOf'
import { useOpenSession } from './OpenSession'
import { useEars } from './useEars'

const [Provide, useHearing] = contextOf<ReturnType<typeof useEars>>('hearing')
export { useHearing }

/** Whose ears these are, and what goes to them. */
export function HearingProvider({ children }: { children: React.ReactNode }) {
  return <Provide value={useEars(useOpenSession().session.id, useChoice().player)}>{children}</Provide>
}
