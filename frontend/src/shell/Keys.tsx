import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { presentKeys, type KeyRank } from './useKeys'

const SHOWN: Record<string, string> = {
  PageDown: 'Page Down',
  PageUp: 'Page Up',
  ' ': 'Space',
  Escape: 'Esc',
  Delete: 'Delete',
}
const WHERE: Record<KeyRank, string> = { act: 'Just now', station: 'At this station', frame: 'Everywhere' }

/** The keys that work now: of what is under way, of the present station, and of the whole program. */
export function Keys({ open, onClose }: { open: boolean; onClose: () => void }) {
  const groups = open ? presentKeys().filter(({ acts }) => acts.length > 0) : []
  return (
    <Dialog open={open} onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/35" aria-hidden />
      <div className="fixed inset-0 grid place-items-center overflow-y-auto p-6">
        <DialogPanel className="w-full max-w-3xl border border-ink bg-sheet px-8 py-6 text-ink">
          <DialogTitle className="mb-4 text-2xl">Keys</DialogTitle>
          <div className="gap-x-12 md:columns-2">
            {groups.map(({ rank, acts }) => (
              <section key={rank} className="mb-5 break-inside-avoid">
                <h3 className="mb-2 border-b border-rule pb-1 text-[15px] text-pencil">{WHERE[rank]}</h3>
                <dl className="grid grid-cols-[6.5rem_1fr] gap-y-2 text-[15px]">
                  {acts.map(({ key, does }) => (
                    <div key={key} className="contents">
                      <dt className="font-semibold">{SHOWN[key] ?? key.toUpperCase()}</dt>
                      <dd className="first-letter:uppercase">{does}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <button onClick={onClose} className="mt-2 rounded-full border border-ink px-5 py-1.5">
            Close
          </button>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
