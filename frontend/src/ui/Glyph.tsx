import type { SignalKind } from '../api/client'

/** A signal's shape: ring for a DI, dot for a microphone, diamond for a simulation or print. */
export function Glyph({ kind, size = 14 }: { kind: SignalKind; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" aria-hidden className="shrink-0">
      {kind === 'di' && <circle cx="7" cy="7" r="5" fill="none" stroke="var(--di)" strokeWidth="2" />}
      {kind === 'mic' && <circle cx="7" cy="7" r="5.5" fill="var(--mic)" />}
      {kind === 'sim' && <path d="M7 1 13 7 7 13 1 7Z" fill="none" stroke="var(--sim)" strokeWidth="2" />}
    </svg>
  )
}

export const INK: Record<SignalKind, string> = { di: 'var(--di)', mic: 'var(--mic)', sim: 'var(--sim)' }
