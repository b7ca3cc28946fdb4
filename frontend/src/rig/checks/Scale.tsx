import { scaleLinear } from 'd3-scale'

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
  const width = 420
  const x = scaleLinear().domain([from, 0]).range([6, width - 26]).clamp(true)
  const ticks = x.ticks(from < -80 ? 6 : 8)
  return (
    <svg viewBox={`0 0 ${width} 50`} className="block w-full max-w-[620px]" role="img" aria-label={label}>
      {aims.map(([low, high]) => (
        <rect key={low} x={x(low)} y="4" width={Math.max(2, x(high) - x(low))} height="26" fill="var(--wash)" />
      ))}
      <path d={`M6 30.5 H${width - 26}`} stroke="var(--ink)" />
      {ticks.map((tick) => (
        <g key={tick}>
          <path d={`M${x(tick)} 30 v5`} stroke="var(--pencil)" />
          <text x={x(tick)} y="46" fontSize="11" textAnchor="middle" fill="var(--pencil)">
            {tick === 0 ? '0 dBFS' : `−${-tick}`}
          </text>
        </g>
      ))}
      {marks.map((mark, index) =>
        mark.level === null ? null : mark.shape === 'bar' ? (
          <rect key={index} x="6" y="16" width={Math.max(0, x(mark.level) - 6)} height="9" fill={mark.ink} />
        ) : (
          <path key={index} d={`M${x(mark.level)} 6 v24`} stroke={mark.ink} strokeWidth="3" />
        ),
      )}
      {marks.map(
        (mark, index) =>
          mark.name &&
          mark.level !== null && (
            <text key={index} x={x(mark.level)} y="12" dx={mark.shape === 'bar' ? -4 : 5} fontSize="11" textAnchor={mark.shape === 'bar' ? 'end' : 'start'}>
              {mark.name}
            </text>
          ),
      )}
    </svg>
  )
}
