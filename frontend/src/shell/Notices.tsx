import { X } from 'lucide-react'
import { dismiss, useLive } from '../api/live'

/**
 * What went wrong or was done, above the deck, until it is put away, or the next roll begins.
 *
 * What lies beneath can be clicked through it: it never keeps anybody from the button that they were going to press.
 */
export function Notices() {
  const notices = useLive((live) => live.notices)
  const connected = useLive((live) => live.connected)
  return (
    <div className="pointer-events-none fixed right-6 bottom-[92px] z-30 flex w-[26rem] flex-col gap-2">
      {!connected && (
        <p role="status" className="border border-ink bg-sheet px-4 py-2.5">
          Fat Signal is not reached. It is tried again every second; what rolls goes on.
        </p>
      )}
      {notices.map(({ id, text }) => (
        <div key={id} className="flex items-start gap-3 border border-ink bg-sheet px-4 py-2.5">
          <p role="status" className="grow first-letter:uppercase">
            {text}.
          </p>
          <button aria-label="Put away" onClick={() => dismiss(id)} className="pointer-events-auto -mr-1 p-0.5">
            <X size={16} />
          </button>
        </div>
      ))}
    </div>
  )
}
