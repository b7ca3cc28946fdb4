import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import type { KeyAct } from './useKeys'

const SHOWN: Record<string, string> = { PageDown: 'Page Down', PageUp: 'Page Up', ' ': 'Space' }

/** The keys of the present station. */
export function Keys({ open, onClose, acts }: { open: boolean; onClose: () => void; acts: KeyAct[] }) {
  const all = [...acts.map(({ key, does }) => [SHOWN[key] ?? key.toUpperCase(), does]), ['1 to 9', 'choose what is heard']]
  return (
    <Dialog open={open} onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-black/35" aria-hidden />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className="w-[34rem] border border-ink bg-sheet px-8 py-6 text-ink">
          <DialogTitle className="mb-4 text-2xl">Keys</DialogTitle>
          <dl className="grid grid-cols-[8rem_1fr] gap-y-2.5">
            {all.map(([key, does]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd>{does}</dd>
              </div>
            ))}
          </dl>
          <button onClick={onClose} className="mt-6 rounded-full border border-ink px-5 py-1.5">
            Close
          </button>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
