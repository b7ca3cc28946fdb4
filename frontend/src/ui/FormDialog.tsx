import { useState } from 'react'
import { Button } from './Button'
import { Dialog } from './Dialog'

/** A sheet to fill in. It closes once it is kept; if that is refused it stays, with the reason above its buttons. */
export function FormDialog({
  open,
  title,
  main,
  onKeep,
  onClose,
  children,
}: {
  open: boolean
  title: string
  main: string
  onKeep: () => Promise<void>
  onClose: () => void
  children: React.ReactNode
}) {
  const [problem, setProblem] = useState('')

  async function keep() {
    try {
      await onKeep()
      setProblem('')
      onClose()
    } catch (error) {
      setProblem((error as Error).message)
    }
  }

  return (
    <Dialog open={open} title={title} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          void keep()
        }}
      >
        {children}
        {problem && (
          <p role="alert" className="mt-4 text-mic first-letter:uppercase">
            ! {problem}.
          </p>
        )}
        <div className="mt-6 flex gap-3">
          <Button main type="submit">
            {main}
          </Button>
          <Button type="button" onClick={onClose}>
            Not now
          </Button>
        </div>
      </form>
    </Dialog>
  )
}
