/** The round-ended button of the stations; `main` is the one that a station is for. */
export function Button({
  main = false,
  className = '',
  ...rest
}: { main?: boolean } & React.ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button
      {...rest}
      className={`shrink-0 rounded-full border px-3.5 py-1.5 text-[14px] whitespace-nowrap disabled:opacity-60 ${
        main ? 'border-roll bg-roll font-semibold text-white' : 'border-ink'
      } ${className}`}
    />
  )
}
