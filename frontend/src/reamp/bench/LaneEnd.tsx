import { Plus } from 'lucide-react'
import type { LaneEnd as End } from '../../api/client'

/** The end of a path, or the place where both are joined: a block can be added there. */
export function LaneEnd({ end, onAdd }: { end: End; onAdd: () => void }) {
  const joined = end.lane === 'joined'
  const label = joined ? 'Add a block behind the join' : `Add a block at the end of ${end.lane}`
  return (
    <button
      aria-label={label}
      title={label}
      onClick={onAdd}
      className={`m-[1.5px] flex w-8 shrink-0 flex-col items-center gap-2 border py-2 text-[13px] text-pencil hover:border-ink hover:text-ink ${joined ? 'border-ink' : 'border-dashed border-rule'}`}
    >
      <Plus size={14} aria-hidden className="shrink-0" />
      <span className="min-h-0 truncate [writing-mode:vertical-rl]">{joined ? 'joined' : end.lane}</span>
    </button>
  )
}
