import type { Bench, MeasuredBench } from '../../api/client'
import { useOpenSession } from '../../desk/OpenSession'
import { usePlayhead } from '../../desk/usePlayhead'
import { useWidth } from '../../shell/useSize'

const HEIGHT = 58

/** The dry source over the bars that go round, with the place that sounds. */
export function LoopWave({ bench, measured }: { bench: Bench; measured: MeasuredBench | undefined }) {
  const { session } = useOpenSession()
  const [width, box] = useWidth<HTMLDivElement>()
  const { from_frame: from, to_frame: to } = bench
  const x = (frame: number) => ((frame - from) / (to - from)) * width
  const columns = measured?.columns ?? []
  const middle = 27
  const path = columns.length
    ? `M${columns.map(([low, high], index) => `${((index + 0.5) / columns.length) * width} ${middle - (high! / 127) * 24}V${middle - (low! / 127) * 24}`).join('M')}`
    : ''
  const bars: [number, number][] = []
  session.beat_frames.forEach((frame, index) => {
    if (session.beat_numbers[index] === 1 && frame >= from && frame <= to) bars.push([frame, session.beat_bars[index]!])
  })
  const each = Math.max(1, Math.ceil((bars.length * 34) / Math.max(1, width)))
  return (
    <div ref={box} className="min-w-0">
      <svg width={width} height={HEIGHT} role="img" aria-label={`Bars ${bench.from_bar} to ${bench.to_bar - 1}, dry`}>
        <path d={path} stroke="var(--di)" strokeWidth={Math.max(0.6, width / 600)} />
        {bars.map(([frame, bar], index) => (
          <g key={bar}>
            <path d={`M${Math.min(width - 0.5, Math.max(0.5, x(frame)))} 3 V${HEIGHT - 12}`} stroke="var(--rule)" />
            {index % each === 0 && x(frame) < width - 12 && (
              <text x={x(frame) + 3} y={HEIGHT - 2} fontSize="11" fill="var(--pencil)">
                {bar}
              </text>
            )}
          </g>
        ))}
        <Place from={from} to={to} width={width} />
      </svg>
    </div>
  )
}

function Place({ from, to, width }: { from: number; to: number; width: number }) {
  const at = usePlayhead((frame) =>
    frame >= from && frame < to ? Math.round(((frame - from) / (to - from)) * width) : null,
  )
  if (at === null) return null
  return <path d={`M${at} 0 V${HEIGHT - 10}`} stroke="var(--ink)" strokeWidth="2" />
}
