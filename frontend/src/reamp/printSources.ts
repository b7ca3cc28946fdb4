import type { Part, PrintSource, Take } from '../api/client'
import { lasting } from '../ui/format'

/** A row of the table of prints: a take with a DI, or a comp. */
export interface DrySource {
  id: string
  title: string
  detail: string
  frames: number
  /** Of its print, the stretch that is drawn. */
  shown: { startFrame: number; endFrame: number }
  take: Take | undefined
}

/** Comps first, then the takes that have a DI and are not in the bin, as they are listed. */
export function drySources(comps: PrintSource[], takes: Take[], parts: Part[], rateHz: number): DrySource[] {
  const nameOf = (partId: string) => parts.find((part) => part.id === partId)?.name ?? ''
  const ofComps = comps.map((comp) => {
    const frames = Math.round(comp.seconds * rateHz)
    return {
      id: comp.material_id,
      title: `${nameOf(comp.part_id)} ${comp.name}`,
      detail: `comp · ${lasting(comp.seconds)}`,
      frames,
      shown: { startFrame: 0, endFrame: frames },
      take: undefined,
    }
  })
  const ofTakes = takes
    .filter((take) => !take.binned && take.channels.some((channel) => channel.kind === 'di'))
    .map((take) => ({
      id: take.id,
      title: `${take.part_name} ${take.number}`,
      detail: `bars ${take.first_bar} to ${take.last_bar}`,
      frames: take.frames,
      shown: { startFrame: take.window_from_frame - take.from_frame, endFrame: take.window_to_frame - take.from_frame },
      take,
    }))
  return [...ofComps, ...ofTakes]
}
