import { memo, useMemo, useState } from 'react'
import type { SheetLine, Take } from '../api/client'
import { type RollState, type FrameRange, playedSpan, useLive } from '../api/live'
import { useWave } from '../api/queries'
import { useWidth } from '../shell/useSize'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useTransport } from '../desk/Transport'
import { usePlayhead } from '../desk/usePlayhead'
import { INK } from '../ui/Glyph'
import { count } from '../ui/format'
import { loudest, wavePath } from '../wave/wavePath'
import { PlanMarks } from './PlanMarks'
import type { usePunching } from './usePunching'

const NAMES = 102
const LINE = 54
const WAVE_Y = 28
const WAVE_HEIGHT = 32

/** The song written like a chart: one line a section, the recorded wave inside its measures. */
export function SongSheet({ punching }: { punching: ReturnType<typeof usePunching> }) {
  const { sheet, takes } = useOpenSession()
  const { sectionId, chooseSection } = useChoice()
  const { seek } = useTransport()
  const { settings, setRange, replace } = punching
  const [drag, setDrag] = useState<{ line: SheetLine; from: number; to: number } | null>(null)
  const rolling = useLive((live) => live.rolling)
  const [width, box] = useWidth<HTMLElement>()
  const lines = (width > 0 && sheet?.lines) || []
  const longest = Math.max(1, ...lines.map((line) => line.bars.length))
  const barWidth = Math.floor((width - NAMES - 8) / longest)

  return (
    <section ref={box} aria-label="Song sheet" className="max-h-[62%] shrink-0 overflow-y-auto pt-1">
      {lines.map((line) => {
        const chosen = line.section.id === sectionId
        const span = barWidth * line.bars.length
        return (
          <div
            key={line.section.id}
            className={`relative ${chosen ? 'bg-sheet outline-[1.5px] -outline-offset-1 outline-ink' : ''}`}
          >
            <button
              className="absolute inset-y-0 left-0 w-[98px] pl-2.5 text-left focus-visible:-outline-offset-3"
              aria-pressed={chosen}
              onClick={() => chooseSection(line.section.id)}
            >
              <span className="block font-name text-[16px] leading-5 font-[650]">{line.section.name}</span>
              <span className="block text-[12.5px] text-pencil">{count(line.section.bars, 'bar')}</span>
            </button>
            <svg
              width={width}
              height={LINE}
              className="block select-none"
              onPointerDown={(event) => {
                const at = frameAt(event, line, span)
                if (at === null) return
                event.currentTarget.setPointerCapture(event.pointerId)
                setDrag({ line, from: at, to: at })
              }}
              onPointerMove={(event) => {
                if (drag?.line !== line) return
                const at = frameAt(event, line, span, true)
                if (at !== null) setDrag({ ...drag, to: at })
              }}
              onPointerUp={() => {
                if (drag?.line !== line) return
                setDrag(null)
                const range = dragged(drag, barWidth)
                if (range) return setRange(line, range)
                chooseSection(line.section.id)
                seek(drag.from)
              }}
              onPointerCancel={() => setDrag(null)}
            >
              <Measures line={line} barWidth={barWidth} takes={takes} rolling={rolling} />
              {rolling && <GrowingWave line={line} span={span} rolling={rolling} />}
              {settings && (
                <PlanMarks
                  line={line}
                  settings={settings}
                  left={NAMES}
                  span={span}
                  bottom={LINE - 5}
                  snap={(at) => nearest(line, at)}
                  onChange={replace}
                />
              )}
              {drag?.line === line && dragged(drag, barWidth) && (
                <Dragged line={line} range={dragged(drag, barWidth)!} span={span} />
              )}
              <Playhead line={line} span={span} />
            </svg>
          </div>
        )
      })}
    </section>
  )
}

/** Where it rolls or sounds now, where that is in this line. */
function Playhead({ line, span }: { line: SheetLine; span: number }) {
  const x = usePlayhead((frame) =>
    frame >= line.from_frame && frame < line.to_frame
      ? Math.round(10 * (NAMES + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * span)) / 10
      : null,
  )
  if (x === null) return null
  return (
    <g>
      <path d={`M${x} 1 V${LINE - 1}`} stroke="var(--ink)" strokeWidth="2.5" />
      <path d={`M${x - 6} 1 h12 l-6 8Z`} fill="var(--ink)" />
    </g>
  )
}

/** The frame of the song under the pointer, null beside the bars; `kept` within them when it is dragged out. */
function frameAt(event: React.PointerEvent, line: SheetLine, span: number, kept = false): number | null {
  const share = (event.clientX - event.currentTarget.getBoundingClientRect().left - NAMES) / span
  if (!kept && (share < 0 || share > 1)) return null
  return Math.round(line.from_frame + Math.max(0, Math.min(1, share)) * (line.to_frame - line.from_frame))
}

/** The bar line that is nearest. */
function nearest(line: SheetLine, frame: number): number {
  const lines = [...line.bars.map((bar) => bar.from_frame), line.to_frame]
  return lines.reduce((best, at) => (Math.abs(at - frame) < Math.abs(best - frame) ? at : best))
}

/** The bars that were dragged over; null for a click that only trembled. */
function dragged(drag: { line: SheetLine; from: number; to: number }, barWidth: number): FrameRange | null {
  const bar = (drag.line.to_frame - drag.line.from_frame) / drag.line.bars.length
  if (Math.abs(drag.to - drag.from) * (barWidth / bar) < 8) return null
  const [low, high] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)]
  const touched = drag.line.bars.filter((entry) => entry.from_frame < high && entry.to_frame > low)
  if (!touched.length) return null
  return { from_frame: touched[0]!.from_frame, to_frame: touched.at(-1)!.to_frame }
}

function Dragged({ line, range, span }: { line: SheetLine; range: FrameRange; span: number }) {
  const x = (frame: number) => NAMES + ((frame - line.from_frame) / (line.to_frame - line.from_frame)) * span
  const from = x(range.from_frame)
  return <rect x={from} y="4" width={x(range.to_frame) - from} height={LINE - 8} fill="var(--mic)" opacity="0.14" />
}

interface MeasuresProps {
  line: SheetLine
  barWidth: number
  takes: Take[]
  rolling: RollState | null
}

/** Bar lines, bar numbers, waves, and the dotted line of a hole; drawn anew only when a take comes or goes. */
const Measures = memo(function Measures({ line, barWidth, takes, rolling }: MeasuresProps) {
  const runs = useMemo(() => runsOf(line), [line])
  return (
    <g>
      <path d={barLines(line, barWidth, (index) => index % 4 !== 0)} stroke="var(--rule)" />
      <path d={barLines(line, barWidth, (index) => index % 4 === 0)} stroke="var(--pencil)" strokeWidth="1.8" />
      {line.bars.map((bar, index) => (
        <text key={bar.number} x={NAMES + index * barWidth + 4} y="16" fontSize="11.5" fill="var(--pencil)">
          {bar.number}
        </text>
      ))}
      {runs.map((run) => {
        const x = NAMES + run.first * barWidth
        const width = run.bars.length * barWidth
        const from = run.bars[0]!.from_frame
        const to = run.bars.at(-1)!.to_frame
        if (run.takeId) {
          const take = takes.find((entry) => entry.id === run.takeId)
          return take && <RunWave key={run.first} take={take} from={from} to={to} x={x} width={width} />
        }
        const played = rolling && playedSpan(rolling)
        const growing = played && played.from_frame < to && played.to_frame > from
        return (
          <g key={run.first}>
            <path
              d={`M${x + 3} ${WAVE_Y + 6} H${x + width - 3}`}
              stroke="var(--faint)"
              strokeWidth="1.6"
              strokeDasharray="1 5"
              strokeLinecap="round"
            />
            {!growing && (
              <text
                x={x + width / 2}
                y={WAVE_Y + 10}
                fontSize="13"
                textAnchor="middle"
                fill="var(--mic)"
                stroke="var(--paper)"
                strokeWidth="7"
                paintOrder="stroke"
              >
                {run.bars.length === line.bars.length
                  ? `not played yet: roll from bar ${line.section.first_bar}`
                  : `${count(run.bars.length, 'bar')} missing`}
              </text>
            )}
          </g>
        )
      })}
    </g>
  )
})

/** The bar lines at the chosen places, the end's among them, as one path. */
function barLines(line: SheetLine, barWidth: number, chosen: (index: number) => boolean): string {
  const last = line.bars.length
  const places = [...line.bars.keys(), last].filter((index) => (index === last ? chosen(0) : chosen(index)))
  return places.map((index) => `M${NAMES + index * barWidth} 6V${LINE - 6}`).join('')
}

/** Neighbouring bars of the same take, so that a wave is drawn in one piece. */
function runsOf(line: SheetLine) {
  const runs: { first: number; takeId: string | null; bars: SheetLine['bars'] }[] = []
  for (const [index, bar] of line.bars.entries()) {
    const last = runs.at(-1)
    if (last && last.takeId === bar.take_id) last.bars.push(bar)
    else runs.push({ first: index, takeId: bar.take_id, bars: [bar] })
  }
  return runs
}

/** The fat wave of the channel that the take is heard by, and the thin line of the DI in it. */
function RunWave({ take, from, to, x, width }: { take: Take; from: number; to: number; x: number; width: number }) {
  const wave = useWave(take.id)
  const paths = useMemo(() => {
    if (!wave.data) return null
    const stretch = { startFrame: from - take.from_frame, endFrame: to - take.from_frame }
    const first = take.heard_first
    const di = take.channels.findIndex((channel) => channel.kind === 'di')
    const draw = (index: number, height: number) => {
      const columns = wave.data.channels[index]
      if (index < 0 || !columns) return ''
      const scaled = (height * 127) / wave.data.loudest[index]!
      return wavePath(columns, wave.data.framesPerColumn, stretch, {
        x: x + 1,
        y: WAVE_Y + 6,
        width: width - 2,
        height: scaled,
      })
    }
    const ink = INK[take.channels[first]?.kind ?? 'di']
    return { ink, first: draw(first, WAVE_HEIGHT), di: di === first ? '' : draw(di, WAVE_HEIGHT * 0.5) }
  }, [wave.data, take, from, to, x, width])
  if (!paths) return null
  return (
    <g>
      {paths.first && <path d={paths.first} fill={paths.ink} />}
      {paths.di && <path d={paths.di} fill="none" stroke="var(--sheet)" strokeWidth="0.7" opacity="0.75" />}
    </g>
  )
}

function GrowingWave({ line, span, rolling }: { line: SheetLine; span: number; rolling: RollState }) {
  const played = playedSpan(rolling)
  const from = Math.max(line.from_frame, played.from_frame)
  const to = Math.min(line.to_frame, played.to_frame)
  return from < to && <GrowingIn line={line} span={span} rolling={rolling} from={from} to={to} />
}

/** What has grown of it until now, drawn with every meter. */
function GrowingIn({
  line,
  span,
  rolling,
  from,
  to,
}: {
  line: SheetLine
  span: number
  rolling: RollState
  from: number
  to: number
}) {
  const columns = useLive((live) => live.columns)
  const framesPerColumn = useLive((live) => live.framesPerColumn)
  const meters = useLive((live) => live.meters)
  if (!meters) return null
  const perFrame = span / (line.to_frame - line.from_frame)
  const x = NAMES + (from - line.from_frame) * perFrame
  const first = rolling.parts[0]!.heard_first
  const grown = columns[first] ?? []
  const path = wavePath(
    grown,
    framesPerColumn,
    { startFrame: from - rolling.from_frame, endFrame: to - rolling.from_frame },
    {
      x: x + 1,
      y: WAVE_Y + 6,
      width: (to - from) * perFrame - 2,
      height: WAVE_HEIGHT * (127 / Math.max(20, loudest(grown))),
    },
  )
  return (
    <g>
      <rect x={x} y="18" width={(to - from) * perFrame} height={LINE - 22} fill="var(--sheet)" opacity="0.85" />
      <path d={path} fill={INK[rolling.channels[first]!.kind]} />
    </g>
  )
}
