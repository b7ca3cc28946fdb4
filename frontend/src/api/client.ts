import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export const api = createClient<paths>({ baseUrl: window.location.origin })

type Schemas = components['schemas']
export type Session = Schemas['SessionView']
export type Part = Schemas['PartView']
export type Section = Schemas['SectionView']
export type Sheet = Schemas['SheetView']
export type SheetLine = Schemas['SheetLineView']
export type Take = Schemas['TakeView']
export type TakeChannel = Schemas['TakeChannelView']
export type Tone = Schemas['ToneView']
export type Print = Schemas['PrintView']
export type Sound = Schemas['SoundView']
export type Comparison = Schemas['ComparisonView']
export type Curve = Schemas['CurveView']
export type HandOverItem = Schemas['HandOverItem']
export type SignalKind = TakeChannel['kind']

/** What a request gave, or an error with the sentence that the server wrote for a person. */
export async function answered<T>(request: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await request
  } catch {
    throw new Error('Fat Signal is not reached: is it still running?')
  }
  if (!result.response.ok) {
    const detail = (result.error as { detail?: unknown } | undefined)?.detail
    throw new Error(typeof detail === 'string' ? detail : `the server answered ${result.response.status}`)
  }
  return result.data as T
}
