import { useState } from 'react'
import type { components } from '../api/schema'

type Asked = components['schemas']['ParcelAsked']

/** What is marked and how it is written; `dropped` holds the keys of what does not go along. */
export interface Form {
  dropped: string[]
  kind: Asked['kind']
  depth: Asked['depth']
  start: Asked['start']
}

const FRESH: Form = { dropped: [], kind: 'wav', depth: '24', start: 'song' }

/** The form of a session as this browser left it. */
export function useForm(sessionId: string): [Form, (changes: Partial<Form>) => void] {
  const key = `fatsignal.hand-over.${sessionId}`
  const [kept, setKept] = useState<{ key: string; form: Form }>(() => ({ key, form: read(key) }))
  const form = kept.key === key ? kept.form : read(key)
  return [
    form,
    (changes) => {
      const next = { ...form, ...changes }
      localStorage.setItem(key, JSON.stringify(next))
      setKept({ key, form: next })
    },
  ]
}

function read(key: string): Form {
  try {
    return { ...FRESH, ...(JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<Form>) }
  } catch {
    return FRESH
  }
}
