import { useRef, useState } from 'react'
import type { Backing, Session } from '../api/client'
import { useLive } from '../api/live'
import { Button } from '../ui/Button'
import { Slider } from '../ui/Slider'
import { TextField } from '../ui/TextField'
import { seconds } from '../ui/format'
import type { useBacking } from './useBacking'

/** A track to play to: brought in from a file, or recorded from what the computer plays. */
export function BackingPanel({
  session,
  backing,
  acts,
}: {
  session: Session
  backing: Backing | undefined
  acts: ReturnType<typeof useBacking>
}) {
  const listening = useLive((live) => live.listening)
  const engine = useLive((live) => live.engine)
  const rolling = useLive((live) => live.rolling)
  const file = useRef<HTMLInputElement>(null)
  const [bars, setBars] = useState(String(Math.min(8, session.song_bars)))
  const recording = listening?.kind === 'computer'

  return (
    <section aria-label="Backing track" className="border border-rule bg-sheet px-4 pt-2.5 pb-3">
      <div className="flex items-baseline gap-2">
        <h2 className="min-w-0 truncate text-[16px]">{backing?.name ?? 'Backing track'}</h2>
        {backing && (
          <button className="ml-auto text-[13.5px] underline underline-offset-4" onClick={() => acts.remove(backing)}>
            Take out
          </button>
        )}
      </div>
      {backing ? (
        <>
          <p className="text-[13.5px] leading-snug text-pencil">
            {seconds(backing.seconds)} {backing.channels === 2 ? 'stereo' : 'mono'};{' '}
            {backing.pulse?.says ?? backing.no_pulse}
          </p>
          <div className="mt-1.5 flex items-center gap-2 text-[14px]">
            <span className="w-[92px] text-[13.5px] text-pencil">Begins at bar</span>
            <TextField
              label="Bar of the backing track"
              value={String(backing.bar)}
              onKeep={(typed) => acts.place(backing, Number.parseInt(typed, 10) || 1, 0, backing.gain_db)}
              className="w-9 border-rule text-right"
            />
            <span className="text-pencil">and</span>
            <TextField
              label="Samples after the bar"
              value={String(offsetInBar(session, backing))}
              onKeep={(typed) => acts.place(backing, backing.bar, Number.parseInt(typed, 10) || 0, backing.gain_db)}
              className="w-16 border-rule text-right"
            />
            <span className="text-pencil">samples</span>
          </div>
          <Slider
            label="Gain"
            value={backing.gain_db}
            from={-24}
            to={12}
            step={0.5}
            digits={1}
            unit="dB"
            onChange={(gain) => acts.place(backing, backing.bar, offsetInBar(session, backing), gain)}
          />
          <div className="mt-2 flex gap-2">
            <Button onClick={() => void acts.follow(backing)} disabled={!backing.pulse}>
              Song follows its beat
            </Button>
            <Button onClick={() => acts.place(backing, 1, 0, backing.gain_db, true)} disabled={!backing.pulse}>
              First beat on bar 1
            </Button>
          </div>
        </>
      ) : (
        <>
          <p className="text-[13.5px] leading-snug text-pencil">
            Any sound file: its tempo and first beat are found. Or what another program on this computer plays.
          </p>
          <div className="mt-2 flex flex-wrap items-center gap-2">
            <Button onClick={() => file.current?.click()} disabled={acts.bringing !== null}>
              {acts.bringing ? `Bringing in ${acts.bringing}…` : 'Bring in a file'}
            </Button>
            <Button
              onClick={() => acts.record(1, Number.parseInt(bars, 10) || 8)}
              disabled={engine !== 'ready' || rolling !== null || listening !== null}
            >
              {recording ? 'Recording the computer…' : 'Record the computer'}
            </Button>
            <span className="flex items-center gap-1 text-[13.5px]">
              <TextField label="Bars to record" value={bars} onKeep={setBars} className="w-8 border-rule text-right" />{' '}
              bars
            </span>
          </div>
        </>
      )}
      <input
        ref={file}
        type="file"
        accept="audio/*,.wav,.flac,.aif,.aiff,.ogg,.mp3"
        className="hidden"
        aria-label="Sound file for the backing track"
        onChange={(event) => {
          void acts.bring(event.target.files)
          event.target.value = ''
        }}
      />
    </section>
  )
}

/** Samples from the beginning of its bar to the track's first sample. */
function offsetInBar(session: Session, backing: Backing) {
  const bar = session.beat_bars.indexOf(backing.bar)
  return bar === -1 ? backing.frames_after : backing.placed_frame - session.beat_frames[bar]!
}
