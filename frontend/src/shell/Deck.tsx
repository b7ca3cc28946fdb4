import { Circle, Play, Square } from 'lucide-react'
import { useLive } from '../api/live'
import { usePrints } from '../api/queries'
import { barBeat, barOne, count, level } from '../ui/format'
import { LevelBar } from './LevelBar'
import { useChoice, usePlayer } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useDeckActs } from '../desk/DeckActs'
import { useTransport } from '../desk/Transport'
import { usePlayhead } from '../desk/usePlayhead'

/** Place in the song, roll, play, loop, click, what is heard, level of the armed part. Nothing else. */
export function Deck() {
  const { session } = useOpenSession()
  const { record, roll, playOrStop, sounds } = useDeckActs()
  const { loops, toggleLoop, clicks, toggleClick } = useTransport()
  const rolls = useLive((live) => live.rolling !== null)
  const engine = useLive((live) => live.engine)
  const player = usePlayer()
  const playing = sounds ?? player.playing
  const loading = player.loading && sounds === undefined

  return (
    <footer className="flex items-center gap-4 overflow-hidden bg-deck px-6 whitespace-nowrap text-on-deck">
      <Place />
      <button
        onClick={roll}
        disabled={!rolls && engine !== 'ready'}
        className="flex h-11 shrink-0 items-center gap-2 rounded-full bg-roll px-5 font-semibold text-white disabled:opacity-70"
      >
        {rolls ? <Square size={13} fill="currentColor" /> : <Circle size={13} fill="currentColor" />}
        {rolls ? 'Stop' : engine === 'ready' ? record : 'Warming up'}
        <span className="font-normal">Page Down</span>
      </button>
      <DeckButton onClick={playOrStop} pressed={playing} disabled={rolls}>
        {playing ? <Square size={13} fill="currentColor" /> : <Play size={13} fill="currentColor" />}
        {loading ? 'Loading' : playing ? 'Stop' : 'Play'} <span className="text-on-deck-soft">Space</span>
      </DeckButton>
      <DeckButton onClick={toggleLoop} pressed={loops}>
        Loop <span className="text-on-deck-soft">{loops ? 'on' : 'off'}</span>
      </DeckButton>
      <DeckButton onClick={toggleClick} pressed={clicks}>
        Click{' '}
        <span className="text-on-deck-soft">
          {clicks ? `on, ${count(session.click.roll_count_in_bars, 'bar')} in` : 'off'}
        </span>
      </DeckButton>
      {rolls ? <ToDisk /> : <Heard />}
    </footer>
  )
}

/** Bar and beat of what rolls or sounds, or where playing begins. */
function Place() {
  const { session } = useOpenSession()
  const { line } = useChoice()
  const place = usePlayhead((frame) => barBeat(frame || line?.from_frame || barOne(session), session))
  return (
    <output className="w-[108px] shrink-0 font-name text-[44px] leading-none font-bold" aria-label="Bar and beat">
      {place}
    </output>
  )
}

function ToDisk() {
  const { part } = useOpenSession()
  const rolling = useLive((live) => live.rolling)
  const averageDbfs = useLive((live) => live.meters?.average_dbfs[0] ?? null)
  const peakDbfs = useLive((live) => live.meters?.peak_dbfs[0] ?? null)
  if (!rolling) return null
  return (
    <DeckEnd
      title="To disk"
      level={<LevelBar averageDbfs={averageDbfs} peakDbfs={peakDbfs} label="Level of the DI now" />}
    >
      <b>{rolling.parts.length > 1 ? count(rolling.parts.length, 'part') : part?.name}</b>,{' '}
      {count(rolling.channels.length, 'channel')}
    </DeckEnd>
  )
}

/** What is heard, at the level at which it lies on disk; the gain of the comparison is not in it. */
function Heard() {
  const { session, part } = useOpenSession()
  const { take, comparison, heard, heardBeside } = useChoice()
  const { alone, muted } = useTransport()
  const prints = usePrints(session.id).data
  const sound = comparison?.sounds.find((entry) => entry.key === heard)
  const checks = sound?.print_id
    ? prints?.find((print) => print.id === sound.print_id)?.checks
    : take?.channels[sound?.wave_channel ?? 0]?.checks
  const [average, peak] = [checks?.average_dbfs ?? null, checks?.peak_dbfs ?? null]
  return (
    <DeckEnd
      title={heardBeside ? 'You hear, side by side' : sound ? `You hear, on disk at ${level(average)}` : 'You hear'}
      level={
        <LevelBar
          averageDbfs={average}
          peakDbfs={peak}
          label={`Level of ${sound?.name ?? 'nothing'} on disk: average ${level(average)}, peak ${level(peak)}`}
        />
      }
    >
      {heardBeside ? (
        <>
          <b className="first-letter:uppercase">{heardBeside.name}</b>, {heardBeside.detail}, equal loudness
        </>
      ) : sound ? (
        <>
          <b>{sound.name}</b> {take && `of take ${take.number}`}, {alone ? 'alone (A)' : 'among the parts (A)'}
          {muted && `, ${part?.name ?? 'part'} muted (M)`}
        </>
      ) : (
        'nothing yet'
      )}
    </DeckEnd>
  )
}

function DeckEnd({ title, level, children }: { title: string; level: React.ReactNode; children: React.ReactNode }) {
  return (
    <>
      <div className="ml-auto min-w-0 text-[13px] leading-[1.35] max-[1120px]:hidden">
        <p className="text-on-deck-soft">{title}</p>
        <p className="truncate">{children}</p>
      </div>
      <div className="shrink-0 max-[1120px]:ml-auto">{level}</div>
    </>
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
