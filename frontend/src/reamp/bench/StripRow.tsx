import { Fragment } from 'react'
import type { Bench, Curve } from '../../api/client'
import { BlockStrip } from './BlockStrip'
import { LaneEnd } from './LaneEnd'
import type { StripActs } from './useStripActs'

/** The blocks in signal order, those of a split's paths behind it, with the ends of the paths. */
export function StripRow({
  bench,
  curves,
  strips,
  onAddAt,
}: {
  bench: Bench
  curves: Curve[] | undefined
  strips: StripActs
  onAddAt: (place: number[]) => void
}) {
  const ends = (behind: number) =>
    bench.lane_ends
      .filter((end) => end.behind === behind)
      .map((end) => <LaneEnd key={end.place.join('.')} end={end} onAdd={() => onAddAt(end.place)} />)
  return (
    <div className="relative flex min-h-0 grow gap-1 overflow-x-auto overflow-y-hidden pb-1">
      {bench.blocks.map((block, index) => (
        <Fragment key={`${block.place.join('.')} ${block.kind}`}>
          <BlockStrip
            block={block}
            index={index}
            lanes={bench.lane_ends.length > 0}
            missing={bench.missing}
            curve={curves?.[index]?.kind === block.kind ? curves[index] : undefined}
            chosen={index === strips.chosen}
            control={strips.control}
            onChoose={(value) => strips.choose(block.place, value)}
            acts={strips.of(block)}
          />
          {ends(index + 1)}
        </Fragment>
      ))}
    </div>
  )
}
