import type { Sound, Tone } from '../api/client'
import { useStrip } from '../api/queries'
import { BlockCurve } from './BlockCurve'

const WEIGHT: Record<string, number> = { gate: 1.15, trim: 0.85, equaliser: 1.25, speaker: 1.4 }

/** The chosen tone's blocks in signal order, each with its curve and values as the core computed them. */
export function ToneStrip({
  tone,
  printed,
  onHear,
}: {
  tone: Tone
  printed: Sound | undefined
  onHear: (key: string) => void
}) {
  const strip = useStrip(tone.id)
  return (
    <section aria-label={`Tone ${tone.name}`} className="shrink-0">
      <div className="flex items-baseline gap-4 py-2">
        <h2 className="text-[22px] leading-tight">{tone.name}</h2>
        <p className="text-[13.5px] text-pencil">
          revision {tone.revision} · {tone.use} · {String(tone.document['oversample'])}× oversampled
        </p>
        {printed && (
          <button onClick={() => onHear(printed.key)} className="ml-auto text-[13.5px] underline underline-offset-4">
            Hear this take through {tone.name}
          </button>
        )}
        {!printed && <p className="ml-auto text-[13.5px] text-pencil">Enter prints the chosen take through it</p>}
      </div>
      {strip.isError && <p role="alert">{strip.error.message}</p>}
      <div
        className="relative grid h-[118px] gap-2"
        style={{
          gridTemplateColumns:
            (strip.data ?? []).map((block) => `minmax(0, ${WEIGHT[block.kind] ?? 1.15}fr)`).join(' ') || '1fr',
        }}
      >
        {strip.data && <span className="absolute top-[60px] -right-6 -left-6 h-[3px] bg-ink" aria-hidden />}
        {strip.data?.map((block, index) => (
          <BlockCurve key={index} block={block} />
        ))}
        {strip.isPending && (
          <p role="status" className="relative bg-paper p-4 text-pencil">
            Computing the curves…
          </p>
        )}
      </div>
    </section>
  )
}
