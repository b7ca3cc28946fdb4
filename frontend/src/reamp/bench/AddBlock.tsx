import { useState } from 'react'
import type { BlockKind } from '../../api/client'
import { Dialog } from '../../ui/Dialog'

interface AddBlockProps {
  kinds: BlockKind[]
  onAdd: (kind: string) => void
  onClose: () => void
}

/**
 * The kinds of blocks, in the order in which they usually stand; the one that is pressed comes behind the chosen one.
 *
 * What is typed leaves those that are meant; arrows go through them, and Enter takes one.
 */
export function AddBlock({ kinds, onAdd, onClose }: AddBlockProps) {
  const [typed, setTyped] = useState('')
  const [at, setAt] = useState(0)
  const left = found(kinds, typed)
  const groups = [...new Set(left.map((kind) => kind.group))]
  const inOrder = groups.flatMap((group) => left.filter((kind) => kind.group === group))
  const meant = inOrder[Math.min(at, inOrder.length - 1)]

  function take(kind: BlockKind | undefined) {
    if (!kind) return
    onClose()
    onAdd(kind.kind)
  }

  return (
    <Dialog open title="Add a block" onClose={onClose} wide>
      <input
        autoFocus
        aria-label="Which block"
        placeholder="type what it is called or does; arrows and Enter take it"
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value)
          setAt(0)
        }}
        onKeyDown={(event) => {
          const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
          if (step) setAt((now) => Math.min(Math.max(0, now + step), Math.max(0, inOrder.length - 1)))
          else if (event.key === 'Enter') take(meant)
          else return
          event.preventDefault()
        }}
        className="mb-3 block w-full border-b border-ink bg-transparent py-1 outline-none placeholder:text-pencil"
      />
      {inOrder.length === 0 && <p className="text-pencil">No block is called so, or does that.</p>}
      <div className="columns-3 gap-x-5">
        {groups.map((group) => (
          <section key={group} className="mb-2">
            <h3 className="mb-0.5 text-[14px] text-pencil first-letter:uppercase">{group}</h3>
            {inOrder
              .filter((kind) => kind.group === group)
              .map((kind) => (
                <button
                  key={kind.kind}
                  aria-current={kind === meant}
                  className={`block w-full break-inside-avoid px-2 py-[3px] text-left leading-snug hover:bg-wash ${kind === meant ? 'bg-wash' : ''}`}
                  onClick={() => take(kind)}
                >
                  <b>{kind.title}</b> <span className="text-[12.5px] text-pencil">{kind.says}</span>
                </button>
              ))}
          </section>
        ))}
      </div>
    </Dialog>
  )
}

/** Those whose name begins so; where none does, those that say so. */
function found(kinds: BlockKind[], typed: string): BlockKind[] {
  const wanted = typed.trim().toLowerCase()
  const named = kinds.filter((kind) => kind.title.toLowerCase().startsWith(wanted))
  return named.length ? named : kinds.filter((kind) => `${kind.title} ${kind.says}`.toLowerCase().includes(wanted))
}
