import { useEffect, useRef, useState } from 'react'
import type { JoinCloseUp, Take } from '../api/client'
import { useJoin } from './queries'
import { useKeys } from '../shell/useKeys'
import { useSize } from '../shell/useSize'
import { Button } from '../ui/Button'
import { INK } from '../ui/Glyph'
import { figure, signed } from '../ui/format'
import { JoinDrawing, LEAST_MS, MOST_MS } from './JoinDrawing'
import type { useCompActs } from './useCompActs'
import { useJoinSound } from './useJoinSound'

const same = (one: Placed, other: Placed) => one.frame === other.frame && Math.abs(one.ms - other.ms) < 0.05

/** Where a join lies, and how long its crossfade is. */
interface Placed {
  frame: number
  ms: number
}

const LENGTHS = [1, 2, 5, 10, 20, 40, 80]

/** A join from close up: both takes on every channel, the crossfade as two curves, what is measured, and what is heard. */
export function JoinPanel({
  partId,
  frame,
  rateHz,
  takes,
  dry,
  acts,
  onShow,
  onNext,
}: {
  partId: string
  frame: number
  rateHz: number
  takes: Take[]
  dry: boolean
  acts: ReturnType<typeof useCompActs>
  onShow: (frame: number | null) => void
  onNext: (by: number) => void
}) {
  const { data: join, error } = useJoin(partId, frame)
  const [width, height, box] = useSize<HTMLDivElement>()
  const { hear, stop, sounds } = useJoinSound(partId)
  // What is dragged, as long as it is; the server is asked when it is let go.
  const [drag, setDrag] = useState<Placed | null>(null)
  const there = join && join.point.frame === frame ? join : undefined
  const base = there && { frame: there.point.frame, ms: there.point.ms }
  // Keys come faster than answers: each goes on from what was asked for before it, as long as it is this join.
  const asked = useRef<{ to: Placed; way: number[] } | null>(null)
  const own = () => (asked.current?.way.includes(frame) ? asked.current : null)
  const standing = () => own()?.to ?? base
  useEffect(() => {
    if (there && asked.current && same(asked.current.to, there.point)) asked.current = null
  }, [there])
  const now = drag ?? base

  function set(to: Placed) {
    setDrag(null)
    const from = standing()
    if (!from) return
    const next = { frame: Math.round(to.frame), ms: Math.max(LEAST_MS, Math.min(MOST_MS, to.ms)) }
    if (next.frame === from.frame && next.ms === from.ms) return
    asked.current = { to: next, way: [...(own()?.way ?? []), from.frame, next.frame] }
    acts.setJoin(from.frame, next.frame, next.ms, onShow, () => (asked.current = null))
  }
  const nudge = (ms: number) => {
    const from = standing()
    if (from) set({ ...from, frame: from.frame + (ms * rateHz) / 1000 })
  }
  const lengthen = (by: number) => {
    const from = standing()
    if (!from) return
    const near = LENGTHS.reduce((best, one) => (Math.abs(one - from.ms) < Math.abs(best - from.ms) ? one : best))
    set({ ...from, ms: LENGTHS[LENGTHS.indexOf(near) + by] ?? from.ms })
  }
  const nextCandidate = () => {
    if (!there?.others.length) return
    const at = there.others.findIndex((one) => one.frame === frame)
    set(there.others[(at + 1) % there.others.length]!)
  }
  const listen = (plain: boolean) =>
    hear(() => Number(new URLSearchParams(window.location.search).get('join')), plain, dry)

  useKeys(
    [
      {
        key: 'ArrowLeft',
        does: 'the join 1 ms earlier, with Shift 10',
        act: (press) => nudge(press.shiftKey ? -10 : -1),
      },
      { key: 'ArrowRight', does: 'the join 1 ms later, with Shift 10', act: (press) => nudge(press.shiftKey ? 10 : 1) },
      { key: 'ArrowUp', does: 'a longer crossfade', act: () => lengthen(1) },
      { key: 'ArrowDown', does: 'a shorter crossfade', act: () => lengthen(-1) },
      { key: 'n', does: 'the next place that was found', act: nextCandidate },
      { key: 'h', does: 'hear the join', act: () => listen(false) },
      { key: 'w', does: 'hear it without its fade', act: () => listen(true) },
      { key: 'j', does: 'the next join', act: (press) => onNext(press.shiftKey ? -1 : 1) },
      { key: 'Enter', does: 'back to the takes', act: () => onShow(null) },
      { key: 'Escape', does: 'back to the takes', act: () => (sounds ? stop() : onShow(null)) },
    ],
    'act',
  )

  return (
    <section aria-label="The join" className="flex min-h-0 grow flex-col pt-2">
      <div className="flex shrink-0 items-baseline gap-4 px-2.5 whitespace-nowrap">
        <h3 className="text-[17px]">
          Join{there && `: take ${numberOf(takes, there.before_take_id)} to ${numberOf(takes, there.after_take_id)}`}
        </h3>
        {now && (
          <p className="text-[14px]">
            <b>{figure(now.ms)} ms</b>
            {there && there.point.frame !== now.frame && (
              <span className="text-pencil">
                {' '}
                · {figure((1000 * (now.frame - there.point.frame)) / rateHz)} ms moved
              </span>
            )}
          </p>
        )}
        {there && (
          <p className={`min-w-0 truncate text-[14px] ${there.point.look ? 'text-mic' : 'text-pencil'}`}>
            {there.point.look ? `~ ${there.point.look}` : '✓ clean'}
          </p>
        )}
        <span className="ml-auto" />
        <Button onClick={() => listen(false)}>
          Hear it <span className="text-pencil">H</span>
        </Button>
        <Button onClick={() => listen(true)}>
          Without its fade <span className="text-pencil">W</span>
        </Button>
        <Button onClick={nextCandidate} disabled={!there || there.others.length < 2}>
          Next place <span className="text-pencil">N</span>
        </Button>
        <Button onClick={() => onNext(1)}>
          Next join <span className="text-pencil">J</span>
        </Button>
        <Button onClick={() => onShow(null)}>
          Takes <span className="text-pencil">Enter</span>
        </Button>
      </div>
      <div ref={box} className="min-h-0 grow basis-0 overflow-hidden pt-2">
        {error && <p className="p-4 text-mic">{error.message}</p>}
        {there && now && width > 0 && !error && (
          <JoinDrawing
            join={there}
            now={now}
            width={width - 20}
            height={height - 8}
            rateHz={rateHz}
            onDrag={setDrag}
            onSet={set}
          />
        )}
      </div>
      {there?.rigs && <OtherRig rigs={there.rigs} />}
      {there && <Measured join={there} />}
    </section>
  )
}

const numberOf = (takes: Take[], takeId: string) => takes.find((take) => take.id === takeId)?.number ?? 'in the bin'

/** What differs between the rigs of both takes, and what was measured of it. */
function OtherRig({ rigs }: { rigs: NonNullable<JoinCloseUp['rigs']> }) {
  return (
    <p className="flex shrink-0 gap-4 px-2.5 pt-1 text-[13.5px] whitespace-nowrap text-mic">
      <b>Another rig</b>
      <span className="min-w-0 truncate" title={rigs.says.join('\n')}>
        {rigs.says.join(' · ')}
      </span>
      {rigs.level_db !== null && rigs.apart_db !== null && (
        <span title={thirdsInWords(rigs)}>
          {signed(rigs.level_db, 1)} dB, thirds of an octave {figure(rigs.apart_db)} dB apart
        </span>
      )}
    </p>
  )
}

const thirdsInWords = ({ thirds_hz, thirds_db }: NonNullable<JoinCloseUp['rigs']>) =>
  thirds_hz.map((hz, index) => `${Math.round(hz)} Hz ${signed(thirds_db[index]!, 1)} dB`).join('\n')

/** What was measured of a join, in words. */
function Measured({ join }: { join: JoinCloseUp }) {
  const { point } = join
  return (
    <p className="flex shrink-0 gap-6 px-2.5 py-1.5 text-[13.5px] whitespace-nowrap text-pencil">
      <span>
        {Math.abs(point.level_step_db) > 40 ? (
          'one side is silent'
        ) : (
          <>
            level step <b className="text-ink">{figure(point.level_step_db)} dB</b>
          </>
        )}
      </span>
      <span title="How loud what the two takes do not share is, against what is heard around">
        rings apart <b className="text-ink">{figure(point.apart_db)} dB</b>
      </span>
      <span className="flex gap-3">
        correlation
        {join.channels.map((channel) => (
          <span key={channel.name} style={{ color: INK[channel.kind] }}>
            {channel.name} <b>{figure(channel.alike)}</b>
          </span>
        ))}
      </span>
      <span className="ml-auto">drag the join or an edge of its fade; arrows do the same</span>
    </p>
  )
}
