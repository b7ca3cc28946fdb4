import { useState } from 'react'
import { AsksFirst } from './client'
import { notice } from './live'
import { queryClient } from './queries'

const underWay = new Set<Promise<void>>()
const LONGEST_WAIT_MS = 3_000

/** Do something; what goes wrong is said to the person. */
export function reportErrors(does: () => Promise<unknown>): Promise<void> {
  const done = (async () => does())()
    .catch((error: Error) => notice(error.message))
    .then(() => void underWay.delete(done))
  underWay.add(done)
  return done
}

/**
 * The end of all that this page is doing now, for what must not overtake it; of what takes long, nobody waits for the
 * end.
 */
export function actsUnderWay(): Promise<unknown> {
  if (!underWay.size) return Promise.resolve()
  return Promise.race([Promise.all(underWay), new Promise((resolve) => setTimeout(resolve, LONGEST_WAIT_MS))])
}

/** Acts done one after the other in the order asked for, however slow the answers; a failed one stops none behind it. */
export function serialQueue() {
  let pending = 0
  let last: Promise<unknown> = Promise.resolve()

  function inOrder(does: () => Promise<void>): Promise<void> {
    pending += 1
    const turn = last.then(does).finally(() => (pending -= 1))
    last = turn.catch(() => undefined)
    return turn
  }

  /** Whether a later act waits: the answer of this one need not be shown any more. */
  return { inOrder, superseded: () => pending > 1 }
}

export const useSerialQueue = () => useState(serialQueue)[0]

/** The turns of what is shown before its answer, by its key. */
const turnsOf = new Map<string, ReturnType<typeof serialQueue>>()

/**
 * Show a change at once, then put it; the answer is what is shown from then on, or, where it fails, what was before.
 *
 * Changes of the same thing are put in turn, and only the last one's answer is shown: two requests under way at once may be
 * carried out in either order, and the first one's answer tells of before.
 */
export async function showThenPut<T>(queryKey: readonly unknown[], next: T, put: () => Promise<T>) {
  const name = JSON.stringify(queryKey)
  const { inOrder, superseded } = turnsOf.get(name) ?? serialQueue()
  turnsOf.set(name, { inOrder, superseded })
  const before = queryClient.getQueryData<T>(queryKey)
  const show = (data: T | undefined) => {
    // A question under way will be answered with what was before.
    void queryClient.cancelQueries({ queryKey })
    queryClient.setQueryData(queryKey, data)
  }
  show(next)
  await inOrder(async () => {
    try {
      const answer = await put()
      if (!superseded()) show(answer)
    } catch (error) {
      if (!superseded()) show(before)
      // What was before may have been refused too.
      void queryClient.invalidateQueries({ queryKey })
      throw error
    }
  })
}

/** What the server asks before it does something: the sentence, and what does it then. */
export interface Asked {
  says: string
  agree: () => void
}

/** Acts that the server may ask about first: its question is kept to be shown, and agreeing does the act again, agreed. */
export function useAsking() {
  const [asked, setAsked] = useState<Asked | null>(null)

  async function asking(does: (agreed: boolean) => Promise<void>, agreed = false): Promise<void> {
    try {
      await does(agreed)
    } catch (error) {
      if (!(error instanceof AsksFirst)) notice((error as Error).message)
      else
        setAsked({
          says: error.message,
          agree: () => {
            setAsked(null)
            void asking(does, true)
          },
        })
    }
  }

  return { asked, dismiss: () => setAsked(null), asking }
}

/** The body of a request that brings a file; the generated type of a file is a string, so the form is built by hand. */
export function asForm<Fields extends Record<string, string>>(file: File, fields: Fields) {
  return { body: { file: '', ...fields }, bodySerializer: formOf('file', [file], fields) }
}

/** Builds a form of files under one name, and of fields. */
export function formOf(name: string, files: File[], fields: Record<string, string>) {
  return () => {
    const form = new FormData()
    for (const file of files) form.append(name, file)
    for (const [field, value] of Object.entries(fields)) form.set(field, value)
    return form
  }
}
