import type { Comp } from '../api/client'
import { TextField } from '../ui/TextField'
import type { useCompActs } from './useCompActs'

const LINK = 'text-[13px] whitespace-nowrap text-pencil underline underline-offset-4 hover:text-ink'

/** The versions of a comp: which one sounds, its name, a copy to go on with. */
export function Versions({
  comp,
  acts,
  onCompare,
  onMade,
}: {
  comp: Comp
  acts: ReturnType<typeof useCompActs>
  onCompare: () => void
  onMade: () => void
}) {
  const current = comp.versions.find((version) => version.current)
  if (!current) return <p className="text-[13px] whitespace-nowrap text-pencil">follows the takes</p>
  return (
    <>
      <TextField
        label="Name of the comp"
        value={current.name}
        onKeep={(name) => acts.rename(current.id, name)}
        className="w-32 border-rule! text-[14px]"
      />
      <button className={LINK} onClick={() => acts.copy(nextName(comp))}>
        copy
      </button>
      {comp.versions.length > 1 && (
        <button className={LINK} onClick={onCompare}>
          compare (X)
        </button>
      )}
      <button className={LINK} onClick={onMade}>
        files and prints (G)
      </button>
    </>
  )
}

/** "Comp 2" after "Comp 1": nobody has to think of a name. */
function nextName(comp: Comp) {
  const numbers = comp.versions.map((version) => version.number)
  return `Comp ${Math.max(0, ...numbers) + 1}`
}
