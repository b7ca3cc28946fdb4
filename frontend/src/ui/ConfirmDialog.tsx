import { Button } from './Button'
import { Dialog } from './Dialog'

/** What would follow, asked before it is done. */
export function ConfirmDialog({
  asked,
  onClose,
}: {
  asked: { says: string; agree: () => void } | null
  onClose: () => void
}) {
  return (
    <Dialog open={asked !== null} title="Before this is done" onClose={onClose}>
      <p className="first-letter:uppercase">{asked?.says}.</p>
      <div className="mt-5 flex gap-3">
        <Button main onClick={() => asked?.agree()}>
          Change anyway
        </Button>
        <Button onClick={onClose}>Leave it as it is</Button>
      </div>
    </Dialog>
  )
}
