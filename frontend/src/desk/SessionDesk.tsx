import type { Session } from '../api/client'
import { ChoiceProvider } from './Choice'
import { DeckActsProvider } from './DeckActs'
import { HearingProvider } from './Hearing'
import { OpenSessionProvider } from './OpenSession'
import { RollingProvider } from './Rolling'
import { TransportProvider } from './Transport'

/**
 * What every station works on: the open session, what is chosen in it, hearing, playing, rolling.
 *
 * Each is a context of its own and changes by itself; what moves all the time (meters, the place) is in none of them.
 */
export function SessionDesk({ session, children }: { session: Session; children: React.ReactNode }) {
  return (
    <OpenSessionProvider session={session}>
      <ChoiceProvider>
        <HearingProvider>
          <TransportProvider>
            <RollingProvider>
              <DeckActsProvider>{children}</DeckActsProvider>
            </RollingProvider>
          </TransportProvider>
        </HearingProvider>
      </ChoiceProvider>
    </OpenSessionProvider>
  )
}
