import { useMemo } from 'react'
import { reportErrors } from '../api/acts'
import { type Part, type Session, type Sheet, type Take, answered, api } from '../api/client'
import { queryClient, useSheet, useTakes } from '../api/queries'
import { contextOf } from './contextOf'

/** The session that is open, the part that is armed, and what was recorded: as the server tells it. */
interface OpenSession {
  session: Session
  part: Part | undefined
  sheet: Sheet | undefined
  takes: Take[]
  takesPending: boolean
  arm: (partId: string) => void
}

const [Provide, useOpenSession] = contextOf<OpenSession>('the open session')
export { useOpenSession }

const NONE: Take[] = []

export function OpenSessionProvider({ session, children }: { session: Session; children: React.ReactNode }) {
  const part = session.parts.find((entry) => entry.armed) ?? session.parts[0]
  const sheet = useSheet(session.id, part?.id).data
  const { data: takes = NONE, isPending: takesPending } = useTakes(session.id)
  const value = useMemo(
    () => ({
      session,
      part,
      sheet,
      takes,
      takesPending,
      arm: (partId: string) => void reportErrors(() => arm(session.id, partId)),
    }),
    [session, part, sheet, takes, takesPending],
  )
  return <Provide value={value}>{children}</Provide>
}

async function arm(session_id: string, part_id: string) {
  const path = { session_id, part_id }
  await answered(api.POST('/api/sessions/{session_id}/parts/{part_id}/arm', { params: { path } }))
  await queryClient.invalidateQueries({ queryKey: ['session'] })
}
