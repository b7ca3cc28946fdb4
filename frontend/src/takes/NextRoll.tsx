import type { Part, SheetLine } from '../api/client'
import { useMonitoring } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { useWidth } from '../shell/useSize'
import { Glyph } from '../ui/Glyph'
import { count, seconds } from '../ui/format'
import { isPrinted } from './printed'

/** A section without takes: what the next roll will do, drawn to scale, and the button that does it. */
export function NextRoll({ line }: { line: SheetLine }) {
  const { session, part } = useOpenSession()
  const rolling = useRolling()
  const [width, box] = useWidth<HTMLDivElement>()
  const settings = rolling.settings
  const countIn = session.click.roll_count_in_bars
  const before = countIn + (settings?.pre_roll_bars ?? 0)
  const total = before + line.bars.length + (settings?.post_roll_bars ?? 0)
  const bar = Math.max(0, width - 48) / total
  const x = (index: number) => 24 + index * bar
  const length = (line.to_frame - line.from_frame) / session.rate_hz
  const end = before + line.bars.length
  const armed = session.parts.filter((entry) => entry.armed && entry !== part)

  function said(index: number) {
    if (index < countIn) return 'count-in'
    if (index >= before && index < end) return line.section.first_bar + index - before
    return index === countIn || index === end ? 'heard' : ''
  }

  return (
    <div ref={box} className="mx-2.5 border border-dashed border-faint pt-4 pb-5">
      <div className="flex items-center justify-between gap-6 px-6">
        <p className="text-[16px]">
          {line.section.name} is not played yet. Roll counts in {count(countIn, 'bar')}, plays it, and{' '}
          {settings?.again ? 'counts in again until you stop' : 'stops at its end'}.
        </p>
        <button
          onClick={rolling.rollOrStop}
          className="rounded-full bg-roll px-5 py-2 font-semibold whitespace-nowrap text-white"
        >
          Roll {line.section.name.toLowerCase()}
        </button>
      </div>
      <svg width={width} height="82" aria-hidden className="mt-2 block">
        <rect
          x={x(before)}
          y="14"
          width={bar * line.bars.length}
          height="34"
          fill="var(--sheet)"
          stroke="var(--ink)"
          strokeWidth="1.4"
        />
        {Array.from({ length: total }, (_, index) => (
          <g key={index}>
            <path
              d={`M${x(index)} 14 v34`}
              stroke={index <= before || index >= end ? 'var(--pencil)' : 'var(--rule)'}
            />
            <text x={x(index) + 6} y="36" fontSize="14" fill="var(--pencil)">
              {said(index)}
            </text>
          </g>
        ))}
        <path
          d={`M${x(before)} 62 H${x(end)} M${x(before) - 4} 66 l8 -8 M${x(end) - 4} 66 l8 -8`}
          stroke="var(--pencil)"
          fill="none"
        />
        <text x={(x(before) + x(end)) / 2} y="78" fontSize="13" textAnchor="middle">
          {seconds(length)}
        </text>
      </svg>
      <ul className="mt-1 flex flex-wrap gap-x-7 gap-y-1 px-6 text-[13.5px]">
        {part && [part, ...armed].map((entry) => <FilesOf key={entry.id} part={entry} />)}
      </ul>
    </div>
  )
}

/** The files that the next take of a part will be. */
function FilesOf({ part }: { part: Part }) {
  const { takes } = useOpenSession()
  const monitoring = useMonitoring(part.id).data
  const number = 1 + Math.max(0, ...takes.filter((take) => take.part_id === part.id).map((take) => take.number))
  const files = part.to_disk.map((step) => ({
    kind: step.kind,
    name: step.name.split(/[,·]/)[0]!.trim().replace(/^Mic/, 'mic'),
  }))
  if (isPrinted(monitoring)) files.push({ kind: 'sim', name: 'sim' })
  return files.map(({ kind, name }) => (
    <li key={name} className="flex items-center gap-2">
      <Glyph kind={kind as 'di' | 'mic' | 'sim'} />
      {part.name} {String(number).padStart(2, '0')} - {name}.wav
    </li>
  ))
}
