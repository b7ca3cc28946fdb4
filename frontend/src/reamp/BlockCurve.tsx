import type { Curve } from '../api/client'
import { useWidth } from '../shell/useSize'
import { BlockChart } from './bench/BlockChart'

/** One block: its name and its curve on labelled axes; what is set, where it has no curve, else under the pointer. */
export function BlockCurve({ block }: { block: Curve }) {
  const [width, box] = useWidth<HTMLElement>()
  const inner = Math.max(40, width - 22)
  return (
    <article
      ref={box}
      title={block.values.map(({ label, value }) => `${label} ${value}`).join(', ')}
      className="relative flex min-w-0 flex-col overflow-hidden border border-rule bg-sheet px-2.5 pt-2 pb-1"
    >
      <h3 className="truncate text-[15.5px] leading-5">{block.title}</h3>
      {block.axis !== 'none' && <BlockChart curve={block} width={inner} />}
      {block.axis === 'none' && (
        <dl className="mt-1 grid gap-y-0.5 overflow-hidden text-[13px]">
          {block.values.map(({ label, value }, index) => (
            <div key={index} className="flex min-w-0 justify-between gap-1.5">
              <dt className="min-w-0 truncate">{label}</dt>
              <dd className="font-semibold whitespace-nowrap">{value}</dd>
            </div>
          ))}
        </dl>
      )}
    </article>
  )
}
