import { useRef, useState } from 'react'
import { type Session, type Tap, answered, api } from '../api/client'
import { useKeys } from '../shell/useKeys'
import { Button } from '../ui/Button'
import { TextField } from '../ui/TextField'
import { type MeterChange, type SongMap, type TempoChange, mapOf } from './useSong'

/** Tempo and meter from a bar on: typed or tapped; steps and ramps. */
export function TempoPanel({
  session,
  bar,
  onBar,
  onChange,
  onTrack,
}: {
  session: Session
  bar: number
  onBar: (bar: number) => void
  onChange: (map: SongMap) => void
  /** Listen to the backing track again, near a tapped tempo; null without one. */
  onTrack: ((bpm: number) => void) | null
}) {
  const map = mapOf(session)
  const tempo = map.tempos.findLast((change) => change.bar <= bar) ?? map.tempos[0]!
  const meter = map.meters.findLast((change) => change.bar <= bar) ?? map.meters[0]!
  const changesHere = map.tempos.some((change) => change.bar === bar) || map.meters.some((change) => change.bar === bar)
  const question = session.questions.find((entry) => entry.bar === bar)

  function setTempo(changes: Partial<TempoChange>) {
    const others = map.tempos.filter((change) => change.bar !== bar)
    const next = { ...tempo, meant: false, ...changes, bar }
    onChange({ ...map, tempos: [...others, next].sort((a, b) => a.bar - b.bar) })
  }

  function setMeter(changes: Partial<MeterChange>) {
    const others = map.meters.filter((change) => change.bar !== bar)
    const next = { ...meter, meant: false, ...changes, bar }
    onChange({ ...map, meters: [...others, next].sort((a, b) => a.bar - b.bar) })
  }

  function agree() {
    onChange({
      ...map,
      tempos: map.tempos.map((change) => (change.bar === bar ? { ...change, meant: true } : change)),
      meters: map.meters.map((change) => (change.bar === bar ? { ...change, meant: true } : change)),
    })
  }

  function without() {
    const tempos = map.tempos.filter((change) => change.bar !== bar || bar === 1)
    // A ramp needs a tempo to go to: the one that leads to nothing becomes a step.
    const last = tempos.at(-1)!
    onChange({
      ...map,
      tempos: [...tempos.slice(0, -1), { ...last, ramp: false }],
      meters: map.meters.filter((change) => change.bar !== bar || bar === 1),
    })
  }

  return (
    <section aria-label="Tempo" className="border border-rule bg-sheet px-4 pt-2.5 pb-3">
      <div className="flex items-baseline gap-2">
        <h2 className="text-[16px]">Tempo from bar</h2>
        <TextField
          label="Bar"
          value={String(bar)}
          onKeep={(typed) => onBar(Math.max(1, Math.min(session.song_bars, Number.parseInt(typed, 10) || 1)))}
          className="w-10 text-[16px] font-semibold"
        />
        {bar > 1 && changesHere && (
          <button className="ml-auto text-[13.5px] underline underline-offset-4" onClick={without}>
            Remove the change
          </button>
        )}
      </div>
      <div className="mt-1 flex items-end gap-3">
        <TextField
          label={`Beats a minute from bar ${bar}`}
          value={tempo.says}
          onKeep={(says) => setTempo({ says })}
          className="w-[112px] font-name text-[44px] leading-none font-bold"
        />
        <span className="pb-1 text-[13px] leading-tight text-pencil">
          beats
          <br />a minute
        </span>
        <span className="ml-auto pb-1 text-right">
          <TextField
            label={`Meter from bar ${bar}`}
            value={`${meter.beats}/${meter.unit}`}
            onKeep={(typed) => {
              const [beats, unit] = typed.split('/').map((part) => Number.parseInt(part, 10))
              setMeter({ beats: beats ?? 0, unit: unit ?? 0 })
            }}
            className="w-16 text-right font-name text-[24px] font-semibold"
          />
        </span>
      </div>
      {map.tempos.some((change) => change.bar > bar) && (
        <label className="mt-1 flex items-center gap-2 text-[13.5px]">
          <input
            type="checkbox"
            checked={tempo.bar === bar && tempo.ramp}
            onChange={(event) => setTempo({ ramp: event.target.checked })}
            className="size-4 accent-(--ink)"
          />
          moves evenly to the next change
        </label>
      )}
      {question && (
        <p className="mt-1.5 text-[13.5px] text-mic">
          <span className="first-letter:uppercase">~ {question.says}</span>{' '}
          <button className="underline underline-offset-4" onClick={agree}>
            It is
          </button>
        </p>
      )}
      <TapLine onTake={(says) => setTempo({ says })} onTrack={onTrack} />
    </section>
  )
}

/** Tapping by key or pointer: the estimate with its uncertainty, and the near whole number. */
function TapLine({ onTake, onTrack }: { onTake: (says: string) => void; onTrack: ((bpm: number) => void) | null }) {
  const times = useRef<number[]>([])
  const [found, setFound] = useState<Tap | null>(null)
  const [problem, setProblem] = useState('tap T on each beat')

  /** By when the finger came down, not by when the page got round to it; only the newest answer is told. */
  async function tapped({ timeStamp }: { timeStamp: number }) {
    const taps = [...times.current.slice(-40), timeStamp / 1000]
    times.current = taps
    try {
      const estimate = await answered(api.POST('/api/tap', { body: { times_s: taps } }))
      if (times.current === taps) setFound(estimate)
    } catch (error) {
      if (times.current !== taps) return
      setFound(null)
      setProblem((error as Error).message)
    }
  }
  useKeys([{ key: 't', does: 'tap the tempo', act: (event) => void tapped(event) }])

  return (
    <div className="mt-2.5 flex items-center gap-3 border-t border-rule pt-2.5">
      <Button onPointerDown={(event) => void tapped(event)} aria-label="Tap the tempo">
        Tap <span className="text-pencil">T</span>
      </Button>
      {found ? (
        <p className="min-w-0 text-[14px] leading-tight" role="status">
          <b>{found.says}</b>
          <span className="block text-[12.5px] text-pencil">
            {found.taps_used} taps{found.taps_left_out ? `, ${found.taps_left_out} left out` : ''}
          </span>
        </p>
      ) : (
        <p className="min-w-0 text-[13px] leading-tight text-pencil" role="status">
          {problem}
        </p>
      )}
      {found && (
        <span className="ml-auto flex gap-1.5">
          {found.whole_is_likely && (
            <Button main onClick={() => onTake(String(found.whole_bpm))}>
              {found.whole_bpm}
            </Button>
          )}
          <Button onClick={() => onTake(found.bpm.toFixed(1))}>{found.bpm.toFixed(1)}</Button>
          {onTrack && <Button onClick={() => onTrack(found.bpm)}>The track's</Button>}
        </span>
      )}
    </div>
  )
}
