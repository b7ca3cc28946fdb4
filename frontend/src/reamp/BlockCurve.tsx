import type { Curve } from '../api/client'
import { useWidth } from '../shell/useSize'
import { BlockChart } from './bench/BlockChart'

/** One block: its name, its curve on labelled axes, and what is set. */
export function BlockCurve({ block }: { block: Curve }) {
  const [width, box] = useWidth<HTMLElement>()
  const inner = Math.max(40, width - 22)
  return (
    <article ref={box} className="relative flex min-w-0 flex-col border border-rule bg-sheet px-2.5 pt-2.5 pb-2">
      <h3 className="truncate text-[15.5px] leading-5">{block.title}</h3>
      {block.axis !== 'none' && <BlockChart curve={block} width={inner} />}
      <dl className={`grid gap-y-0.5 overflow-hidden text-[13px] ${block.axis === 'none' ? 'mt-[88px]' : 'mt-1'}`}>
        {block.values.map(({ label, value }, index) => (
          <div key={index} className="flex min-w-0 justify-between gap-1.5">
            <dt className="min-w-0 truncate">{label}</dt>
            <dd className="font-semibold whitespace-nowrap">{value}</dd>
          </div>
        ))}
      </dl>
    </article>
  )
}
