import { useLive } from '../api/live'
import { useSpace } from '../api/queries'
import { lasting } from '../signal/format'
import { useDesk } from './SessionContext'

/** For how long the disk holds out, before and while rolling. */
export function RoomLeft() {
  const { rolling, meters } = useLive()
  const space = useSpace(useDesk().session.id).data
  const left = (rolling ? meters?.space_left_s : null) ?? space?.seconds_left
  return (
    <>
      Room for{' '}
      <span className={space?.verdict === 'good' ? 'text-ink' : 'font-bold text-mic'}>
        {left == null ? '…' : lasting(left)}
      </span>
    </>
  )
}
