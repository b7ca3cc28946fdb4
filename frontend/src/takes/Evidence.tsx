import { Play, Square } from 'lucide-react'
import { useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { reportErrors } from '../api/acts'
import type { Finding, Session, Take } from '../api/client'
import { useWave } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { Button } from '../ui/Button'
import { Dialog } from '../ui/Dialog'
import { barBeat } from '../ui/format'
import { Player } from '../sound/player'
import { wavePath } from '../wave/wavePath'
import { compareTakes } from './compared'

export interface Evident {
  take: Take
  finding: Finding
  /** A take that has not got it, to hear and see beside it. */
  other: Take | undefined
}

const AROUND_S = 1.1
const WIDTH = 690
const HEIGHT = 104

/** What was found, to see and to hear: the place drawn large, beside a take that has not got it. */
export function Evidence({ evident, onClose }: { evident: Evident | null; onClose: () => void }) {
  const { session } = useOpenSession()
  const { player: main } = useChoice()
  const player = useMemo(() => new Player(session.rate_hz), [session.rate_hz])
  const { playing } = useSyncExternalStore(player.subscribe, player.snapshot)
  const [heard, setHeard] = useState<string>()
  useEffect(() => {
    if (!evident) player.stop()
    return () => player.stop()
  }, [evident, player])
  if (!evident) return null
  const { take, finding, other } = evident
  const around = Math.round(AROUND_S * session.rate_hz)
  const end = finding.to_frame && finding.to_frame - finding.at_frame < around ? finding.to_frame : finding.at_frame
  const [from, to] = [Math.max(0, finding.at_frame - around), end + around]

  async function hear(id: string) {
    if (playing && heard === id) return player.stop()
    main.stop()
    setHeard(id)
    if (playing) return player.choose(id)
    await reportErrors(async () => {
      const { sounds } = await compareTakes([take.id, ...(other ? [other.id] : [])], [from, to])
      await player.play(sounds, id, from, [from, to])
    })
  }

  return (
    <Dialog
      open
      wide
      title={`Take ${take.number}, bar ${barBeat(finding.at_frame, session)}: ${finding.says}`}
      onClose={onClose}
    >
      <p className="mb-4 text-[15px] first-letter:uppercase">{finding.explained}.</p>
      {[take, ...(other ? [other] : [])].map((shown) => (
        <div key={shown.id} className="mb-3">
          <div className="mb-1 flex items-center justify-between">
            <span className={`text-[14.5px] ${shown === take ? 'font-bold' : 'text-pencil'}`}>Take {shown.number}</span>
            <button
              onClick={() => void hear(shown.id)}
              className="flex items-center gap-1.5 text-[14px] underline underline-offset-4"
              aria-pressed={playing && heard === shown.id}
            >
              {playing && heard === shown.id ? (
                <Square size={12} fill="currentColor" />
              ) : (
                <Play size={12} fill="currentColor" />
              )}
              {playing && heard === shown.id ? 'Stop' : `Hear take ${shown.number} here`}
            </button>
          </div>
          <CloseUp take={shown} finding={finding} from={from} to={to} session={session} own={shown === take} />
        </div>
      ))}
      <div className="mt-1 flex justify-end">
        <Button onClick={onClose}>Done</Button>
      </div>
    </Dialog>
  )
}

interface CloseUpProps {
  take: Take
  finding: Finding
  from: number
  to: number
  session: Session
  own: boolean
}

/** A second or two of a take, with the beats of the click and the place that is meant. */
function CloseUp({ take, finding, from, to, session, own }: CloseUpProps) {
  const wave = useWave(take.id).data
  const di = take.channels.findIndex((channel) => channel.kind === 'di')
  const index = Math.max(0, di)
  const kind = take.channels[index]!.kind
  const x = (frame: number) => ((frame - from) / (to - from)) * WIDTH
  const columns = wave?.channels[index]
  const path =
    wave && columns
      ? wavePath(
          columns,
          wave.framesPerColumn,
          { startFrame: from - take.from_frame, endFrame: to - take.from_frame },
          { x: 0, y: HEIGHT / 2 + 6, width: WIDTH, height: (HEIGHT - 26) * (127 / wave.loudest[index]!) },
        )
      : ''
  const beats = session.beat_frames
    .map((frame, place) => ({ frame, place }))
    .filter(({ frame }) => frame > from && frame < to)
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block border border-rule bg-paper"
      role="img"
      aria-label={`Take ${take.number} around bar ${barBeat(finding.at_frame, session)}`}
    >
      {beats.map(({ frame, place }) => (
        <g key={frame}>
          <path d={`M${x(frame)} 16 V${HEIGHT}`} stroke="var(--rule)" strokeWidth="1.4" />
          <text x={x(frame) + 3} y="12" fontSize="12" fill="var(--pencil)">
            {session.beat_bars[place]}.{session.beat_numbers[place]}
          </text>
        </g>
      ))}
      <path d={path} fill={own ? `var(--${kind})` : 'var(--faint)'} />
      <path
        d={`M${x(finding.at_frame)} 16 V${HEIGHT}`}
        stroke="var(--mic)"
        strokeWidth="2"
        strokeDasharray={own ? undefined : '4 4'}
      />
      {own && <path d={`M${x(finding.at_frame) - 6} 16 h12 l-6 8Z`} fill="var(--mic)" />}
    </svg>
  )
}
