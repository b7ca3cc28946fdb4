import { Suspense, lazy } from 'react'
import { Navigate, Route, Routes } from 'react-router'
import { useOpening, useSession } from './api/queries'
import { Frame } from './shell/Frame'
import { SessionDesk } from './desk/SessionDesk'
import { TakesStation } from './takes/TakesStation'

// The first station comes with the page, the others when they are gone to.
const ReampStation = lazy(() => import('./reamp/ReampStation').then((module) => ({ default: module.ReampStation })))
const SongStation = lazy(() => import('./song/SongStation').then((module) => ({ default: module.SongStation })))
const RigStation = lazy(() => import('./rig/RigStation').then((module) => ({ default: module.RigStation })))
const PlacementStation = lazy(() =>
  import('./placement/PlacementStation').then((module) => ({ default: module.PlacementStation })),
)
const PlacementSheetPage = lazy(() =>
  import('./placement/PlacementSheetPage').then((module) => ({ default: module.PlacementSheetPage })),
)
const RigSheetPage = lazy(() => import('./rig/RigSheetPage').then((module) => ({ default: module.RigSheetPage })))
const BinPage = lazy(() => import('./bin/BinPage').then((module) => ({ default: module.BinPage })))
const CompStation = lazy(() => import('./comp/CompStation').then((module) => ({ default: module.CompStation })))
const HandOverStation = lazy(() =>
  import('./handover/HandOverStation').then((module) => ({ default: module.HandOverStation })),
)

/** The chosen session, in the frame; an address leads to each station. */
export function App() {
  const opening = useOpening()
  const session = useSession(opening.data ?? undefined)

  if (opening.isError || session.isError) return <Whole role="alert">{(opening.error ?? session.error)!.message}</Whole>
  if (opening.data === null)
    return <Whole>There is no session yet. Start Fat Signal again to get the demonstration.</Whole>
  if (!session.data) return <Whole role="status">Opening the session…</Whole>

  return (
    <SessionDesk key={session.data.id} session={session.data}>
      <Routes>
        <Route
          path="/rig-sheet/:id"
          element={
            <Suspense fallback={null}>
              <RigSheetPage />
            </Suspense>
          }
        />
        <Route
          path="/placement-sheet/:id"
          element={
            <Suspense fallback={null}>
              <PlacementSheetPage />
            </Suspense>
          }
        />
        <Route element={<Frame />}>
          <Route path="/song" element={<SongStation />} />
          <Route path="/rig" element={<RigStation />} />
          <Route path="/placement" element={<PlacementStation />} />
          <Route path="/takes" element={<TakesStation />} />
          <Route path="/comp" element={<CompStation />} />
          <Route path="/re-amp" element={<ReampStation />} />
          <Route path="/hand-over" element={<HandOverStation />} />
          <Route path="/bin" element={<BinPage />} />
          <Route path="*" element={<Navigate to="/takes" replace />} />
        </Route>
      </Routes>
    </SessionDesk>
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
