import type { SignalKind } from '../api/client'
import { Glyph } from '../ui/Glyph'

/** One of the two cords: its title, and what hangs on it. */
export function CordCard({
  title,
  children,
  aside,
}: {
  title: string
  children: React.ReactNode
  aside?: React.ReactNode
}) {
  return (
    <section className="border border-rule bg-sheet px-3.5 pt-2 pb-2" aria-label={title}>
      <div className="mb-1 flex items-baseline justify-between">
        <h2 className="text-[16px]">{title}</h2>
        {aside}
      </div>
      {children}
    </section>
  )
}

/** One end of a cord: the line that leads to it, its shape (none where no signal comes), its name. */
export function CordEnd({
  kind,
  name,
  detail,
  moving,
}: {
  kind: SignalKind | null
  name: string
  detail: string
  moving: boolean
}) {
  return (
    <li className="flex items-center gap-2 py-[2.5px]" title={detail}>
      <svg width="22" height="12" className="shrink-0" aria-hidden>
        <circle cx="3" cy="6" r="3" fill="var(--ink)" />
        <path
          d="M3 6 H22"
          stroke={moving ? 'var(--mic)' : 'var(--faint)'}
          strokeWidth={kind === 'di' ? 1.5 : 3}
          strokeDasharray={moving ? '6 3' : undefined}
          className={moving ? 'signal-moves' : ''}
        />
      </svg>
      <span className="-ml-2 w-[14px]">{kind && <Glyph kind={kind} />}</span>
      <span className="min-w-0 truncate text-[13.5px] leading-[1.3]">{name}</span>
    </li>
  )
}
