import { Circle, Play, Square } from 'lucide-react'
import { useLive } from '../api/live'
import { usePrints } from '../api/queries'
import { barBeat, barOne, count, level } from '../signal/format'
import { LevelBar } from './LevelBar'
import { useDesk, usePlayer } from './SessionContext'
import { useFrame } from './useFrame'

/** Place in the song, roll, play, loop, click, what is heard, level of the armed part. Nothing else. */
export function Deck() {
  const desk = useDesk()
  const { rolling, meters, engine } = useLive()
  const { playing, loading } = usePlayer()
  const frame = useFrame()
  const { session, part, comparison, heard, take } = desk
  const sound = comparison?.sounds.find((entry) => entry.key === heard)
  const line = desk.sheet?.lines.find((entry) => entry.section.id === desk.sectionId)
  const place = barBeat(frame || line?.from_frame || barOne(session), session)
  const prints = usePrints(session.id)
  // What is heard, at the level at which it lies on disk; the gain of the comparison is not in it.
  const checks = sound?.print_id
    ? prints.data?.find((print) => print.id === sound.print_id)?.checks
    : take?.channels[sound?.wave_channel ?? 0]?.checks

  return (
    <footer className="flex items-center gap-4 overflow-hidden bg-deck px-6 whitespace-nowrap text-on-deck">
      <output className="w-[108px] shrink-0 font-name text-[44px] leading-none font-bold" aria-label="Bar and beat">
        {place}
      </output>
      <button
        onClick={desk.rolling.rollOrStop}
        disabled={!rolling && engine !== 'ready'}
        className="flex h-11 shrink-0 items-center gap-2 rounded-full bg-roll px-5 font-semibold text-white disabled:opacity-70"
      >
        {rolling ? <Square size={13} fill="currentColor" /> : <Circle size={13} fill="currentColor" />}
        {rolling ? 'Stop' : engine === 'ready' ? 'Roll' : 'Warming up'}
        <span className="font-normal">Page Down</span>
      </button>
      <DeckButton onClick={desk.playOrStop} pressed={playing} disabled={Boolean(rolling)}>
        {playing ? <Square size={13} fill="currentColor" /> : <Play size={13} fill="currentColor" />}
        {loading ? 'Loading' : playing ? 'Stop' : 'Play'} <span className="text-on-deck-soft">Space</span>
      </DeckButton>
      <DeckButton onClick={desk.toggleLoop} pressed={desk.loops}>
        Loop <span className="text-on-deck-soft">{desk.loops ? 'on' : 'off'}</span>
      </DeckButton>
      <DeckButton onClick={desk.toggleClick} pressed={desk.clicks}>
        Click{' '}
        <span className="text-on-deck-soft">
          {desk.clicks ? `on, ${count(session.click.roll_count_in_bars, 'bar')} in` : 'off'}
        </span>
      </DeckButton>
      <div className="ml-auto min-w-0 text-[13px] leading-[1.35] max-[1120px]:hidden">
        <p className="text-on-deck-soft">
          {rolling
            ? 'To disk'
            : desk.heardBeside
              ? 'You hear, side by side'
              : sound
                ? `You hear, on disk at ${level(checks?.average_dbfs)}`
                : 'You hear'}
        </p>
        <p className="truncate">
          {rolling ? (
            <>
              <b>{rolling.parts.length > 1 ? count(rolling.parts.length, 'part') : part?.name}</b>,{' '}
              {count(rolling.channels.length, 'channel')}
            </>
          ) : desk.heardBeside ? (
            <>
              <b className="first-letter:uppercase">{desk.heardBeside.name}</b>, {desk.heardBeside.detail}, equal
              loudness
            </>
          ) : sound ? (
            <>
              <b>{sound.name}</b> {take && `of take ${take.number}`}, {desk.alone ? 'alone (A)' : 'among the parts (A)'}
            </>
          ) : (
            'nothing yet'
          )}
        </p>
      </div>
      <div className="shrink-0 max-[1120px]:ml-auto">
        <LevelBar
          averageDbfs={rolling ? (meters?.average_dbfs[0] ?? null) : (checks?.average_dbfs ?? null)}
          peakDbfs={rolling ? (meters?.peak_dbfs[0] ?? null) : (checks?.peak_dbfs ?? null)}
          label={
            rolling
              ? 'Level of the DI now'
              : `Level of ${sound?.name ?? 'nothing'} on disk: average ${level(checks?.average_dbfs)}, peak ${level(checks?.peak_dbfs)}`
          }
        />
      </div>
    </footer>
  )
}

function DeckButton({
  children,
  pressed,
  ...rest
}: { children: React.ReactNode; pressed: boolean } & React.ButtonHTMLAttributes<HTMLButtonElement>) {
  return (
    <button
      {...rest}
      aria-pressed={pressed}
      className={`flex h-10 shrink-0 items-center gap-2 rounded-full border-[1.5px] px-4 disabled:opacity-60 ${
        pressed ? 'border-on-deck' : 'border-on-deck-soft/60'
      }`}
    >
      {children}
    </button>
  )
}
