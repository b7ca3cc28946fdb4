import type { Take } from '../api/client'

const GLYPH = { good: '✓', look: '~', fix: '!' } as const

/** A verdict is a word with a glyph, never a colour alone. */
export function Verdict({ verdict, children }: { verdict: Take['verdict']; children?: string }) {
  return (
    <span className={verdict === 'good' ? 'text-ink' : 'font-semibold text-mic'}>
      <span aria-hidden>{GLYPH[verdict]} </span>
      {children ?? verdict}
    </span>
  )
}
