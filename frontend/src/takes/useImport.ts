import { useState } from 'react'
import { answered, api } from '../api/client'
import { notice } from '../api/live'
import { refreshTakes } from '../api/queries'
import { useDesk } from '../frame/SessionContext'

/** Bringing in DI files: each becomes a take of the armed part. */
export function useImport() {
  const { session, part, chooseTake } = useDesk()
  const [bringing, setBringing] = useState<string | null>(null)

  async function bring(files: FileList | null) {
    if (!files || !part) return
    for (const file of Array.from(files)) {
      setBringing(file.name)
      try {
        const take = await answered(
          api.POST('/api/sessions/{session_id}/imports', {
            params: { path: { session_id: session.id } },
            // The form is built by hand: the generated type of a file is a string.
            body: { file: '', part_id: part.id },
            bodySerializer: () => {
              const form = new FormData()
              form.set('file', file)
              form.set('part_id', part.id)
              return form
            },
          }),
        )
        refreshTakes()
        chooseTake(take.id)
        notice(`${file.name} is take ${take.number} of ${take.part_name}, from bar ${take.first_bar}`)
      } catch (error) {
        notice((error as Error).message)
      }
    }
    setBringing(null)
  }
  return { bring, bringing }
}
