import type { BlockKind } from '../../api/client'
import { Dialog } from '../../ui/Dialog'

/** The kinds of blocks, in the order in which they usually stand; the one that is pressed comes behind the chosen one. */
export function AddBlock({
  open,
  kinds,
  onAdd,
  onClose,
}: {
  open: boolean
  kinds: BlockKind[]
  onAdd: (kind: string) => void
  onClose: () => void
}) {
  const groups = [...new Set(kinds.map((kind) => kind.group))]
  return (
    <Dialog open={open} title="Add a block" onClose={onClose}>
      <div className="grid grid-cols-2 gap-x-6 gap-y-3">
        {groups.map((group) => (
          <section key={group}>
            <h3 className="mb-1 text-[14px] text-pencil first-letter:uppercase">{group}</h3>
            {kinds
              .filter((kind) => kind.group === group)
              .map((kind) => (
                <button
                  key={kind.kind}
                  className="block w-full px-2 py-1 text-left hover:bg-wash"
                  onClick={() => {
                    onClose()
                    onAdd(kind.kind)
                  }}
                >
                  <b>{kind.title}</b> <span className="text-[13px] text-pencil">{kind.says}</span>
                </button>
              ))}
          </section>
        ))}
      </div>
    </Dialog>
  )
}
