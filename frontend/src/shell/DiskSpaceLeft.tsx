import { useLive } from '../api/live'
import { useSpace } from '../api/queries'
import { lasting } from '../ui/format'
import { useOpenSession } from '../desk/OpenSession'

/** For how long the disk holds out, before and while rolling. */
export function DiskSpaceLeft() {
  const space = useSpace(useOpenSession().session.id).data
  const left = useLive((live) => {
    const now = (live.rolling ? live.meters?.space_left_s : null) ?? space?.seconds_left
    return now == null ? '…' : lasting(now)
  })
  return (
    <>
      Room for <span className={space?.verdict === 'good' ? 'text-ink' : 'font-bold text-mic'}>{left}</span>
    </>
  )
}
