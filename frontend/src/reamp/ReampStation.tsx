import { useEffect } from 'react'
import { useOpenSession } from '../desk/OpenSession'
import { NoPart } from '../shell/NoPart'
import { UndoLinks } from '../shell/UndoLinks'
import { useAddress } from '../shell/useAddress'
import { useKeys } from '../shell/useKeys'
import { PrintsView } from './PrintsView'
import { ToneBench } from './bench/ToneBench'
import { ToneList } from './tones/ToneList'
import { bringIn } from './tones/bringIn'

const VIEWS = { bench: 'Bench', tones: 'Tones', prints: 'Prints' } as const
type View = keyof typeof VIEWS
const ORDER = Object.keys(VIEWS) as View[]
const viewOf = (address: URLSearchParams) => ORDER.find((each) => each === address.get('view')) ?? 'bench'

/** Tones are worked out on the dry takes, and printed. */
export function ReampStation() {
  const { session, part } = useOpenSession()
  const { shown, show } = useAddress()
  const view = viewOf(shown)
  const go = (next: View) => show({ view: next === 'bench' ? null : next })
  useKeys([
    {
      key: 'v',
      does: 'bench, tones, prints',
      act: ({ shiftKey }) => {
        // As the address says it now: what was drawn last may be a key press older.
        const at = ORDER.indexOf(viewOf(new URLSearchParams(window.location.search)))
        go(ORDER[(at + (shiftKey ? ORDER.length - 1 : 1)) % ORDER.length]!)
      },
    },
  ])

  // A tone is a text: it can be pasted from wherever it was sent.
  useEffect(() => {
    function pasted(event: ClipboardEvent) {
      const text = event.clipboardData?.getData('text') ?? ''
      if ((event.target as HTMLElement).matches('input, textarea') || !text.trim().startsWith('{')) return
      event.preventDefault()
      void bringIn(text, session.id)
    }
    window.addEventListener('paste', pasted)
    return () => window.removeEventListener('paste', pasted)
  }, [session.id])
  if (!part) return <NoPart />
  return (
    <div className="flex h-full flex-col gap-1 px-6 pb-2">
      <nav aria-label="What of Re-amp is shown" className="flex items-baseline gap-5 pt-1">
        {ORDER.map((each) => (
          <button
            key={each}
            aria-current={each === view}
            onClick={() => go(each)}
            className={`font-name text-[20px] leading-tight ${each === view ? 'font-bold' : 'text-pencil hover:text-ink'}`}
          >
            {VIEWS[each]}
          </button>
        ))}
        <UndoLinks className="ml-auto" />
      </nav>
      {view === 'bench' && <ToneBench key={part.id} part={part} />}
      {view === 'tones' && <ToneList key={part.id} part={part} />}
      {view === 'prints' && <PrintsView />}
    </div>
  )
}
