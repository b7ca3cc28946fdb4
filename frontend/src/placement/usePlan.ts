import { useCallback, useEffect, useRef, useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Plan, type Rig, answered, api } from '../api/client'

/**
 * The rig as it is drawn now, and what the server makes of it. While a microphone is dragged, the newest place is asked
 * for as soon as the answer to the one before is there: nothing queues up.
 */
export function usePlan(partId: string, kept: Rig | undefined) {
  const [drawn, setDrawn] = useState<Rig | null>(null)
  const [plan, setPlan] = useState<Plan | null>(null)
  const asking = useRef(false)
  const next = useRef<Rig | null>(null)
  const [from, setFrom] = useState(kept)
  // What is kept now is what is drawn, unless something is dragged at this moment.
  if (kept !== from) {
    setFrom(kept)
    setDrawn(null)
  }

  const ask = useCallback(
    (rig: Rig) => {
      next.current = rig
      if (asking.current) return
      asking.current = true
      void reportErrors(async () => {
        try {
          while (next.current) {
            const body = next.current
            next.current = null
            setPlan(
              await answered(api.POST('/api/parts/{part_id}/plan', { params: { path: { part_id: partId } }, body })),
            )
          }
        } finally {
          asking.current = false
        }
      })
    },
    [partId],
  )

  const rig = drawn ?? kept
  useEffect(() => {
    if (rig) ask(rig)
  }, [rig, ask])

  return { rig, plan, draw: setDrawn }
}
