const WIDTH = 228
const LOWEST = -48

function at(dbfs: number) {
  return 8 + ((Math.max(LOWEST, Math.min(0, dbfs)) - LOWEST) / -LOWEST) * (WIDTH - 16)
}

/** Average as a bar, peak as a stroke, on a ruled scale; the shaded stretch is the aim for the average. */
export function LevelBar({
  averageDbfs,
  peakDbfs,
  label,
}: {
  averageDbfs: number | null
  peakDbfs: number | null
  label: string
}) {
  return (
    <svg width={WIDTH} height="46" role="img" aria-label={label}>
      <rect x={at(-18)} y="7" width={at(-12) - at(-18)} height="17" fill="var(--on-deck)" opacity="0.22" />
      <path d={`M8 24 H${WIDTH - 8}`} stroke="var(--on-deck)" strokeWidth="1.2" />
      {[-48, -36, -24, -18, -12, -6, 0].map((mark) => (
        <g key={mark}>
          <path d={`M${at(mark)} 24 v${mark % 12 ? 4 : 7}`} stroke="var(--on-deck)" />
          {mark !== -6 && (
            <text
              x={at(mark)}
              y="43"
              fontSize="11"
              fill="var(--on-deck-soft)"
              textAnchor={mark ? 'middle' : 'end'}
              dx={mark ? 0 : 8}
            >
              {mark ? `−${-mark}` : '0 dB'}
            </text>
          )}
        </g>
      ))}
      {averageDbfs !== null && averageDbfs > LOWEST && (
        <rect x="8" y="12" width={at(averageDbfs) - 8} height="7" fill="var(--on-deck)" />
      )}
      {peakDbfs !== null && peakDbfs > LOWEST && (
        <path d={`M${at(peakDbfs)} 5 v19`} stroke="var(--peak)" strokeWidth="3" />
      )}
    </svg>
  )
}
