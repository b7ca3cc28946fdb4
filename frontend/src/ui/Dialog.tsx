import { Dialog as HeadlessDialog, DialogPanel, DialogTitle } from '@headlessui/react'

/** A sheet of paper laid over the station: one question with its answers. */
export function Dialog({
  open,
  title,
  onClose,
  children,
  wide = false,
}: {
  open: boolean
  title: string
  onClose: () => void
  children: React.ReactNode
  wide?: boolean
}) {
  return (
    <HeadlessDialog open={open} onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/30" aria-hidden />
      <div className="fixed inset-0 grid place-items-center overflow-y-auto p-6">
        <DialogPanel
          className={`w-full border border-ink bg-sheet px-7 py-6 text-ink ${wide ? 'max-w-3xl' : 'max-w-lg'}`}
        >
          <DialogTitle className="mb-3 text-[22px] leading-tight">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </HeadlessDialog>
  )
}
