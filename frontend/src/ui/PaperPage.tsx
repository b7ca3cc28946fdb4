import { Link } from 'react-router'

/** A page of its own, made for paper; on the screen it leads back, and prints. */
export function PaperPage({
  back,
  to,
  wide = false,
  children,
}: {
  back: string
  to: string
  wide?: boolean
  children: React.ReactNode
}) {
  return (
    <main className="h-full overflow-y-auto bg-sheet px-12 py-8 text-ink print:overflow-visible print:bg-white print:p-0 print:text-black">
      <div className={`mx-auto ${wide ? 'max-w-[860px]' : 'max-w-[760px]'}`}>
        <div className="mb-5 flex items-baseline gap-6 print:hidden">
          <Link to={to} className="underline underline-offset-4">
            {back}
          </Link>
          <button onClick={() => window.print()} className="underline underline-offset-4">
            Print
          </button>
        </div>
        {children}
      </div>
    </main>
  )
}

/** What stands in its place until it is there, or where it cannot be. */
export function PaperPending({ error, opening }: { error: Error | null; opening: string }) {
  return (
    <p role={error ? 'alert' : 'status'} className="p-8">
      {error ? error.message : opening}
    </p>
  )
}
