import { HelpCircle, Moon, Sun } from 'lucide-react'
import { NavLink, useLocation } from 'react-router'
import type { Comp } from '../api/client'
import { useLive } from '../api/live'
import { useChecks, usePlacement, usePrints } from '../api/queries'
import { useComp } from '../comp/queries'
import { count } from '../ui/format'
import { useOpenSession } from '../desk/OpenSession'
import { cordLayout } from './cordLayout'
import { useWidth } from './useSize'

interface Knot {
  to: string
  name: string
  fact: string
  frays: boolean
}

const Y = 38

/** The signal's way from the jack to the file tray: an ink line that grows fat, with a knot for each station. */
export function Cord({ night, onNight, onKeys }: { night: boolean; onNight: () => void; onKeys: () => void }) {
  const { session, part, sheet, takes } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const prints = usePrints(session.id)
  const { pathname } = useLocation()
  const [width, box] = useWidth<HTMLElement>()

  const missing = sheet?.missing_bars ?? 0
  const running = (prints.data ?? []).filter((print) => print.state === 'waiting' || print.state === 'rendering').length
  const failed = (prints.data ?? []).filter((print) => print.state === 'failed').length
  const ready = (prints.data ?? []).filter((print) => print.state === 'ready').length
  const kept = takes.filter((take) => !take.binned)
  const files = kept.reduce((sum, take) => sum + take.channels.length, ready)
  const checks = useChecks(part?.id).data ?? []
  const wrong = checks.filter((check) => check.verdict === 'fix')
  const trials = usePlacement(part?.id).data?.trials ?? []
  const comp = useComp(part?.id).data
  const chosenTrial = trials.find((entry) => entry.chosen)
  const knots: Knot[] = [
    {
      to: '/song',
      name: 'Song',
      fact: session.questions.length
        ? `${count(session.questions.length, 'question')} about the tempo`
        : `${session.tempos.length === 1 ? session.tempos[0]!.says : session.tempo_words.split(' beats')[0]} · ${count(session.song_bars, 'bar')}`,
      frays: session.questions.length > 0,
    },
    {
      to: '/rig',
      name: 'Rig',
      fact: wrong.length
        ? `${wrong[0]!.kind}: to fix`
        : checks.length
          ? `${count(checks.length, 'check')} done`
          : 'not checked yet',
      frays: wrong.length > 0,
    },
    {
      to: '/placement',
      name: 'Placement',
      fact: chosenTrial
        ? `trial ${chosenTrial.number} chosen`
        : trials.length
          ? `${count(trials.length, 'trial')}, none chosen`
          : 'not tried yet',
      frays: false,
    },
    {
      to: '/takes',
      name: 'Takes',
      fact: missing ? `${count(kept.length, 'take')}, ${count(missing, 'bar')} missing` : count(kept.length, 'take'),
      frays: missing > 0,
    },
    { to: '/comp', name: 'Comp', ...compFact(comp) },
    {
      to: '/re-amp',
      name: 'Re-amp',
      fact: failed ? `${failed} failed` : running ? `${running} rendering` : count(ready, 'print'),
      frays: failed > 0,
    },
    { to: '/hand-over', name: 'Hand-over', fact: `${count(files, 'file')} there`, frays: false },
  ]
  const { start, end, xs, room, dense } = cordLayout(width, knots.length)

  return (
    <header className="relative" ref={box}>
      <div className={`absolute left-6 ${dense ? 'top-4 w-[118px]' : 'top-5 w-[184px]'}`}>
        <h1 className={`leading-none ${dense ? 'text-[22px]' : 'text-[25px]'}`}>Fat Signal</h1>
        <p className="mt-1.5 line-clamp-2 text-[13px] leading-4 text-pencil">
          {[session.name, session.artist].filter(Boolean).join(' · ')}
        </p>
      </div>
      <svg width={width} height="92" className="absolute inset-0" aria-hidden>
        <path d={`M${start - 24} ${Y} h18`} stroke="var(--ink)" strokeWidth="5" strokeLinecap="round" />
        <rect x={start - 4} y={Y - 4} width="12" height="8" fill="none" stroke="var(--ink)" strokeWidth="1.5" />
        <CordLine points={[start + 8, ...xs, end + 16]} frays={knots.map((knot) => knot.frays)} />
        {rolling && (
          <path
            className="signal-moves"
            d={`M${start + 8} ${Y} H${xs[0]}`}
            stroke="var(--mic)"
            strokeWidth="3"
            strokeDasharray="6 12"
            fill="none"
          />
        )}
        <path d={`M${end + 14} ${Y - 13} v20 h30 v-20`} fill="none" stroke="var(--ink)" strokeWidth="2.5" />
      </svg>
      <nav aria-label="Stations">
        {knots.map((knot, index) => {
          const on = pathname.startsWith(knot.to)
          return (
            <NavLink
              key={knot.to}
              to={knot.to}
              className="absolute top-1.5 flex h-[82px] -translate-x-1/2 flex-col items-center"
              style={{ left: xs[index], width: room - 8 }}
            >
              <span className={`font-name leading-5 ${nameStyle(on, dense)}`}>{knot.name}</span>
              <svg width="26" height="26" className="-mt-[1px] shrink-0" aria-hidden>
                <circle
                  cx="13"
                  cy="13"
                  r={on ? 11 : 7}
                  fill={on ? 'var(--mic)' : 'var(--paper)'}
                  stroke="var(--ink)"
                  strokeWidth="2"
                />
              </svg>
              <span
                className={`w-full text-center ${dense ? 'mt-1.5 line-clamp-2 text-[12px] leading-[13px]' : 'mt-2 text-[13px] leading-4'} ${knot.frays ? 'text-mic' : 'text-pencil'}`}
              >
                {knot.fact}
              </span>
            </NavLink>
          )
        })}
      </nav>
      <div className="absolute top-6 right-5 flex gap-1">
        <button onClick={onKeys} aria-label="Keys" className="p-2">
          <HelpCircle size={20} />
        </button>
        <button onClick={onNight} aria-label={night ? 'Day' : 'Night'} className="p-2">
          {night ? <Sun size={20} /> : <Moon size={20} />}
        </button>
      </div>
    </header>
  )
}

/** What the comp is short of, or which version sounds. */
function compFact(comp: Comp | undefined): Pick<Knot, 'fact' | 'frays'> {
  const holes = comp?.lines.filter((line) => line.settled).flatMap((line) => line.holes).length ?? 0
  const current = comp?.versions.find((version) => version.current)
  if (!current) return { fact: 'follows the takes', frays: false }
  if (holes) return { fact: count(holes, 'hole'), frays: true }
  if (comp?.looks) return { fact: `${count(comp.looks, 'join')} to hear`, frays: true }
  return { fact: current.name, frays: false }
}

function nameStyle(on: boolean, dense: boolean) {
  const size = on ? (dense ? 'text-[15.5px]' : 'text-[17px]') : dense ? 'text-[14px]' : 'text-[15px]'
  return `${size} ${on ? 'font-bold' : 'font-medium'}`
}

/** Short strokes of growing width; before a knot that needs attention the line frays into three hairs. */
function CordLine({ points, frays }: { points: number[]; frays: boolean[] }) {
  const strokes = []
  for (let piece = 0; piece < points.length - 1; piece++) {
    const [from, to] = [points[piece]!, points[piece + 1]!]
    const outer = piece === 0 || piece === points.length - 2
    const sag = (t: number) => Y + (outer ? 5 : 13) * 4 * t * (1 - t)
    const steps = 22
    for (let step = 0; step < steps; step++) {
      const [t0, t1] = [step / steps, (step + 1) / steps]
      const d = `M${from + (to - from) * t0} ${sag(t0)} L${from + (to - from) * t1 + 0.6} ${sag(t1)}`
      const width = 1 + 9 * ((piece + t0) / (points.length - 1))
      const frayed = frays[piece] && t0 > 0.45 && t0 < 0.86
      if (!frayed) strokes.push(<path key={`${piece}-${step}`} d={d} strokeWidth={width} />)
      else
        for (const hair of [-1, 0, 1]) {
          const spread = 7 * Math.sin(((t0 - 0.45) / 0.41) * Math.PI) * hair
          const next = 7 * Math.sin(((Math.min(t1, 0.86) - 0.45) / 0.41) * Math.PI) * hair
          strokes.push(
            <path
              key={`${piece}-${step}-${hair}`}
              d={`M${from + (to - from) * t0} ${sag(t0) + spread} L${from + (to - from) * t1 + 0.6} ${sag(t1) + next}`}
              strokeWidth={Math.max(1, width / 4)}
            />,
          )
        }
    }
  }
  return (
    <g stroke="var(--ink)" strokeLinecap="round" fill="none">
      {strokes}
    </g>
  )
}
