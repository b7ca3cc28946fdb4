import { useOpenSession } from '../desk/OpenSession'
import { NoPart } from '../shell/NoPart'
import { UndoLinks } from '../shell/UndoLinks'
import { useAddress } from '../shell/useAddress'
import { useKeys } from '../shell/useKeys'
import { PrintsView } from './PrintsView'
import { ToneBench } from './bench/ToneBench'

const VIEWS = { bench: 'Bench', prints: 'Prints' } as const

/** Tones are worked out on the dry takes, and printed. */
export function ReampStation() {
  const { part } = useOpenSession()
  const { shown, show } = useAddress()
  const view = shown.get('view') === 'prints' ? 'prints' : 'bench'
  const go = (next: keyof typeof VIEWS) => show({ view: next === 'bench' ? null : next })
  useKeys([{ key: 'v', does: 'bench, or prints', act: () => go(view === 'bench' ? 'prints' : 'bench') }])
  if (!part) return <NoPart />
  return (
    <div className="flex h-full flex-col gap-1 px-6 pb-2">
      <nav aria-label="What of Re-amp is shown" className="flex items-baseline gap-5 pt-1">
        {(Object.keys(VIEWS) as (keyof typeof VIEWS)[]).map((each) => (
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
      {view === 'bench' ? <ToneBench key={part.id} part={part} /> : <PrintsView />}
    </div>
  )
}
