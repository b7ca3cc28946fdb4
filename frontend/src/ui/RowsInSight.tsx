import { useVirtualizer } from '@tanstack/react-virtual'
import { useDeferredValue, useEffect } from 'react'
import { useSize } from '../shell/useSize'

/** The rows that are in sight, and some beyond: a long evening's takes cost no more than the first ten. */
export function RowsInSight<Row extends { id: string }>({
  rows,
  meant,
  heightIn,
  children,
}: {
  rows: Row[]
  /** The row that is meant is in sight, however it was chosen. */
  meant: string | undefined
  /** How high each is in the room that there is. */
  heightIn: (room: number) => number
  children: (row: Row, height: number) => React.ReactNode
}) {
  const [, room, box] = useSize<HTMLDivElement>()
  const height = heightIn(room)
  const inSight = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 5,
    getItemKey: (index) => rows[index]!.id,
    useFlushSync: false,
  })
  useEffect(() => inSight.measure(), [inSight, height])
  const place = rows.findIndex((row) => row.id === meant)
  useEffect(() => {
    if (place >= 0) inSight.scrollToIndex(place)
  }, [inSight, place])
  // Rows that come into sight soon are made in the time that is left between frames.
  const items = useDeferredValue(inSight.getVirtualItems()).filter((item) => item.index < rows.length)
  return (
    <div ref={box} className="min-h-0 grow overflow-y-auto bg-paper will-change-transform">
      <div className="relative" style={{ height: inSight.getTotalSize() }}>
        {items.map((item) => (
          <div
            key={rows[item.index]!.id}
            className="absolute inset-x-0 contain-layout contain-size"
            style={{ top: item.start, height }}
          >
            {children(rows[item.index]!, height)}
          </div>
        ))}
      </div>
    </div>
  )
}
