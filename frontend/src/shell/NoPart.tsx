import { Link } from 'react-router'

/** Where a station needs a part, and the session has none. */
export function NoPart() {
  return (
    <p className="p-8">
      This session has no part yet.{' '}
      <Link to="/rig" className="underline underline-offset-4">
        Add one in Rig
      </Link>
      : an instrument, and what it runs through.
    </p>
  )
}
