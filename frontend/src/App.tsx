import { Navigate, Route, Routes } from 'react-router'
import { useSession, useSessions } from './api/queries'
import { Frame } from './frame/Frame'
import { SessionProvider } from './frame/SessionContext'
import { HandOverStation } from './handover/HandOverStation'
import { ReampStation } from './reamp/ReampStation'
import { TakesStation } from './takes/TakesStation'

/** The newest session, in the frame; an address leads to each station. */
export function App() {
  const sessions = useSessions()
  const newest = sessions.data?.at(-1)
  const session = useSession(newest?.id)

  if (sessions.isError || session.isError)
    return <Whole role="alert">{(sessions.error ?? session.error)!.message}</Whole>
  if (sessions.isPending) return <Whole role="status">Opening the session…</Whole>
  if (!newest) return <Whole>There is no session yet. Start Fat Signal again to get the demonstration.</Whole>
  if (!session.data) return <Whole role="status">Opening {newest.name}…</Whole>

  return (
    <SessionProvider session={session.data}>
      <Routes>
        <Route element={<Frame />}>
          <Route path="/takes" element={<TakesStation />} />
          <Route path="/re-amp" element={<ReampStation />} />
          <Route path="/hand-over" element={<HandOverStation />} />
          <Route path="*" element={<Navigate to="/takes" replace />} />
        </Route>
      </Routes>
    </SessionProvider>
  )
}

function Whole({ children, role }: { children: React.ReactNode; role?: 'status' | 'alert' }) {
  return (
    <main className="grid h-full place-items-center p-8">
      <p role={role} className="font-name text-2xl">
        {children}
      </p>
    </main>
  )
}
