import type { SheetLine } from '../api/client'
import { useWidth } from '../frame/useWidth'
import { useDesk } from '../frame/SessionContext'
import { Glyph } from '../signal/Glyph'
import { count, seconds } from '../signal/format'

/** A section without takes: what the next roll will do, drawn to scale, and the button that does it. */
export function NextRoll({ line }: { line: SheetLine }) {
  const { session, part, takes, rolling } = useDesk()
  const [width, box] = useWidth<HTMLDivElement>()
  const number = 1 + Math.max(0, ...takes.filter((take) => take.part_id === part?.id).map((take) => take.number))
  const before = session.click.roll_count_in_bars
  const total = before + line.bars.length
  const bar = Math.max(0, width - 48) / total
  const x = (index: number) => 24 + index * bar
  const length = (line.to_frame - line.from_frame) / session.rate_hz

  return (
    <div ref={box} className="mx-2.5 border border-dashed border-faint pt-4 pb-5">
      <div className="flex items-center justify-between px-6">
        <p className="text-[16px]">
          {line.section.name} is not played yet. Roll counts in {count(before, 'bar')}, plays it, and stops at its end.
        </p>
        <button onClick={rolling.rollOrStop} className="rounded-full bg-roll px-5 py-2 font-semibold whitespace-nowrap text-white">
          Roll {line.section.name.toLowerCase()}
        </button>
      </div>
      <svg width={width} height="82" aria-hidden className="mt-2 block">
        <rect x={x(before)} y="14" width={bar * line.bars.length} height="34" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.4" />
        {Array.from({ length: total }, (_, index) => (
          <g key={index}>
            <path d={`M${x(index)} 14 v34`} stroke={index <= before ? 'var(--pencil)' : 'var(--rule)'} />
            <text x={x(index) + 6} y="36" fontSize="14" fill="var(--pencil)">
              {index < before ? 'count-in' : line.section.first_bar + index - before}
            </text>
          </g>
        ))}
        <path
          d={`M${x(before)} 62 H${x(total)} M${x(before) - 4} 66 l8 -8 M${x(total) - 4} 66 l8 -8`}
          stroke="var(--pencil)"
          fill="none"
        />
        <text x={(x(before) + x(total)) / 2} y="78" fontSize="13" textAnchor="middle">
          {seconds(length)}
        </text>
      </svg>
      <ul className="mt-1 flex flex-wrap gap-x-7 gap-y-1 px-6 text-[13.5px]">
        {part?.to_disk.map((step) => (
          <li key={step.name} className="flex items-center gap-2">
            <Glyph kind={step.kind as 'di' | 'mic' | 'sim'} />
            {part.name} {String(number).padStart(2, '0')} - {step.name.split(/[,·]/)[0]!.trim().replace(/^Mic/, 'mic')}.wav
          </li>
        ))}
      </ul>
    </div>
  )
}
