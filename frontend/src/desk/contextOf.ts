import { type Provider, createContext, useContext } from 'react'

/** A context that has to be provided, and the hook that reads it. */
export function contextOf<T>(name: string): readonly [Provider<T | null>, () => T] {
  const Context = createContext<T | null>(null)
  const use = () => {
    const value = useContext(Context)
    if (value === null) throw new Error(`${name} is used outside of the session's desk`)
    return value
  }
  return [Context.Provider, use]
}
