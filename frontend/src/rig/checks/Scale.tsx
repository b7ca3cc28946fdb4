import { scaleLinear } from 'd3-scale'
import { useWidth } from '../../shell/useSize'

/** A level scale in dBFS with marks at chosen levels: `from` at the left, full scale at the right. */
export function Scale({
  from,
  aims = [],
  marks,
  label,
}: {
  from: number
  aims?: [number, number][]
  marks: { level: number | null; shape: 'bar' | 'stroke'; ink: string; name?: string }[]
  label: string
}) {
  const [measured, box] = useWidth<HTMLDivElement>()
  const width = Math.min(620, Math.max(200, measured))
  const x = scaleLinear()
    .domain([from, 0])
    .range([14, width - 30])
    .clamp(true)
  const ticks = x.ticks(from < -80 ? 6 : 8)
  return (
    <div ref={box}>
      <svg width={width} height="48" className="block" role="img" aria-label={label}>
        {aims.map(([low, high]) => (
          <rect key={low} x={x(low)} y="4" width={Math.max(2, x(high) - x(low))} height="26" fill="var(--wash)" />
        ))}
        <path d={`M14 30.5 H${width - 30}`} stroke="var(--ink)" />
        {ticks.map((tick) => (
          <g key={tick}>
            <path d={`M${x(tick)} 30 v5`} stroke="var(--pencil)" />
            <text x={x(tick)} y="46" fontSize="11.5" textAnchor="middle" fill="var(--pencil)">
              {tick === 0 ? '0 dBFS' : `−${-tick}`}
            </text>
          </g>
        ))}
        {marks.map((mark, index) =>
          mark.level === null ? null : mark.shape === 'bar' ? (
            <rect key={index} x="14" y="16" width={Math.max(0, x(mark.level) - 14)} height="9" fill={mark.ink} />
          ) : (
            <path key={index} d={`M${x(mark.level)} 6 v24`} stroke={mark.ink} strokeWidth="3" />
          ),
        )}
        {marks.map(
          (mark, index) =>
            mark.name &&
            mark.level !== null && (
              <text
                fill="var(--ink)"
                key={index}
                x={x(mark.level)}
                y="12"
                dx={mark.shape === 'bar' ? -4 : 5}
                fontSize="11"
                textAnchor={mark.shape === 'bar' ? 'end' : 'start'}
              >
                {mark.name}
              </text>
            ),
        )}
      </svg>
    </div>
  )
}
