import { useEffect, useRef } from 'react'
import { reportErrors } from '../api/acts'
import { answered, api, type Parcel } from '../api/client'
import { queryClient, useParcels } from '../api/queries'
import type { components } from '../api/schema'

const NONE: Parcel[] = []

/** The ZIPs of a session; one that this page asked for is saved when it is done. */
export function useMakeParcels(sessionId: string) {
  const parcels = useParcels(sessionId).data ?? NONE
  const wanted = useRef(new Set<string>())

  function saveWanted(found: Parcel[]) {
    for (const parcel of found) {
      if (parcel.state === 'waiting' || parcel.state === 'working') continue
      if (wanted.current.delete(parcel.id) && parcel.state === 'done') save(parcel.url)
    }
  }
  useEffect(() => saveWanted(parcels), [parcels])

  const refresh = () => queryClient.invalidateQueries({ queryKey: ['parcels', sessionId] })
  const path = { session_id: sessionId }
  return {
    parcels,
    make: (asked: components['schemas']['ParcelAsked']) =>
      reportErrors(async () => {
        const made = await answered(api.POST('/api/sessions/{session_id}/parcels', { params: { path }, body: asked }))
        wanted.current.add(made.id)
        // One that was made before is done already.
        saveWanted([made])
        await refresh()
      }),
    stop: (parcel: Parcel) =>
      reportErrors(async () => {
        await answered(
          api.DELETE('/api/sessions/{session_id}/parcels/{parcel_id}', {
            params: { path: { ...path, parcel_id: parcel.id } },
          }),
        )
        await refresh()
      }),
  }
}

function save(url: string) {
  const link = document.createElement('a')
  link.href = url
  link.download = ''
  link.click()
}
