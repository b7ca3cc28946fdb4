import { useState } from 'react'
import { formOf, reportErrors } from '../api/acts'
import { type SignalKind, answered, api } from '../api/client'
import { notice } from '../api/live'
import { refreshTakes } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'

export type Kind = SignalKind
export type Placing = 'fitting' | 'stamp' | 'sound' | 'bar'

/** Whether several files are one take, or a take each. */
export type Takes = 'together' | 'each'

/** Files to bring in, and what each is guessed to be. */
export interface Incoming {
  files: File[]
  kinds: Kind[]
}

/** Bringing in files: one becomes a take at once; of several it is asked first what they are. */
export function useImport() {
  const { session, part } = useOpenSession()
  const { chooseTake } = useChoice()
  const [bringing, setBringing] = useState<string | null>(null)
  const [asked, setAsked] = useState<Incoming | null>(null)

  async function send(files: File[], kinds: Kind[], placing: Placing, bar: number) {
    if (!part) return
    setBringing(files[0]!.name)
    try {
      const take = await answered(
        api.POST('/api/sessions/{session_id}/imports', {
          params: { path: { session_id: session.id } },
          body: { files: [], part_id: part.id, kinds: kinds.join(','), placing, bar },
          bodySerializer: formOf('files', files, {
            part_id: part.id,
            kinds: kinds.join(','),
            placing,
            bar: String(bar),
          }),
        }),
      )
      refreshTakes()
      chooseTake(take.id)
      const said = files.length === 1 ? `${files[0]!.name} is` : `${files.length} files are`
      notice(`${said} take ${take.number} of ${take.part_name}, from bar ${take.first_bar}`)
    } finally {
      setBringing(null)
    }
  }

  async function bring(list: FileList | null) {
    const files = Array.from(list ?? [])
    if (!files.length) return
    await reportErrors(async () => {
      const names = files.map((file) => file.name)
      const kinds = await answered(api.GET('/api/imports/kinds', { params: { query: { name: names } } }))
      if (files.length === 1) await send(files, kinds, 'fitting', 1)
      else setAsked({ files, kinds })
    })
  }

  async function sendAll(files: File[], kinds: Kind[], placing: Placing, bar: number, takes: Takes) {
    if (takes === 'together') return send(files, kinds, placing, bar)
    for (const [index, file] of files.entries()) {
      try {
        await send([file], [kinds[index]!], placing, bar)
      } catch (problem) {
        // What is in is not asked for again.
        setAsked({ files: files.slice(index), kinds: kinds.slice(index) })
        throw problem
      }
    }
  }

  return { bring, bringing, asked, send: sendAll, dismiss: () => setAsked(null) }
}
