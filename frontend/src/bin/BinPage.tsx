import { useState } from 'react'
import { Link } from 'react-router'
import { reportErrors, useAsking } from '../api/acts'
import { type BinnedTake, answered, api } from '../api/client'
import { notice } from '../api/live'
import { queryClient, refreshPlacement, refreshTakes, useBin, useWave } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { UndoLinks } from '../shell/UndoLinks'
import { ConfirmDialog } from '../ui/ConfirmDialog'
import { Button } from '../ui/Button'
import { playerSounds } from '../placement/playerSounds'
import { soundOf } from '../sound/player'
import { wavePath } from '../wave/wavePath'
import { bytes, clock, count, seconds } from '../ui/format'

/** What was thrown away and can still be heard and brought back; emptying it is the one act that removes audio. */
export function BinPage() {
  const { session } = useOpenSession()
  const { player } = useChoice()
  const rolling = useRolling()
  const bin = useBin(session.id)
  const { asked, dismiss, asking } = useAsking()
  const [heard, setHeard] = useState<string | null>(null)

  async function hear(take: BinnedTake) {
    if (heard === take.id && player.state.playing) {
      player.stop()
      return setHeard(null)
    }
    setHeard(take.id)
    if (take.trial) {
      const compared = await answered(api.GET('/api/trials/compared', { params: { query: { id: [take.id] } } }))
      return player.play(playerSounds(compared), take.id, compared.from_frame, null)
    }
    const comparison = await answered(
      api.GET('/api/takes/{take_id}/comparison', { params: { path: { take_id: take.id } } }),
    )
    const sound = comparison.sounds.find((entry) => entry.key === comparison.heard_first)
    if (!sound) return
    await player.play([soundOf(sound.key, sound, sound.right, sound.gain_db)], sound.key, comparison.from_frame, null)
  }

  const bringBack = (take: BinnedTake) =>
    take.trial
      ? void reportErrors(async () => {
          await answered(api.DELETE('/api/trials/{trial_id}/bin', { params: { path: { trial_id: take.id } } }))
          refreshPlacement()
          refreshTakes()
        })
      : rolling.unbin(take.id)

  const empty = () =>
    void asking(async (agreed) => {
      const left = await answered(
        api.DELETE('/api/sessions/{session_id}/bin', {
          params: { path: { session_id: session.id }, query: { agreed } },
        }),
      )
      queryClient.setQueryData(['bin', session.id], left)
      refreshTakes()
      notice('the bin is empty')
    })

  if (bin.isPending)
    return (
      <p role="status" className="p-8 text-pencil">
        Looking into the bin…
      </p>
    )
  if (bin.isError)
    return (
      <p role="alert" className="p-8">
        {bin.error.message}
      </p>
    )
  const { takes } = bin.data

  return (
    <div className="mx-auto flex h-full max-w-[1240px] flex-col px-8 pt-3 pb-4">
      <div className="flex items-baseline gap-5 pb-3">
        <h1 className="font-name text-[28px] leading-tight font-bold">Bin</h1>
        <p className="text-[14px] text-pencil">
          {takes.length ? `${inIt(takes)}, ${bytes(bin.data.bytes)}` : 'nothing in it'}
        </p>
        <UndoLinks className="max-w-[320px]" />
        <Link to="/takes" className="ml-auto text-[14px] underline underline-offset-4">
          Back to Takes
        </Link>
        {takes.length > 0 && <Button onClick={empty}>Empty the bin…</Button>}
      </div>
      {takes.length === 0 ? (
        <p className="border-t border-rule py-6">
          The bin is empty. Takes that you throw away wait here, with all of their audio, until you empty it.
        </p>
      ) : (
        <ol aria-label="Takes in the bin" className="min-h-0 overflow-y-auto border-t border-rule">
          {takes.map((take) => (
            <li
              key={take.id}
              className="grid grid-cols-[220px_118px_minmax(0,1fr)_auto] items-center gap-x-6 border-b border-rule py-2.5"
            >
              <span className="min-w-0">
                <span
                  className="block truncate font-name text-[18px] font-semibold"
                  title={`${take.part_name} ${take.number}`}
                >
                  {take.part_name} {take.trial && 'trial '}
                  <span className="tabular-nums">{String(take.number).padStart(2, '0')}</span>
                </span>
                <span className="block text-[13px] text-pencil">
                  thrown away at {clock(take.binned_at)}
                  {take.prints > 0 && ` · ${count(take.prints, 'print')}`}
                </span>
              </span>
              <span className="text-[14px] tabular-nums">
                bars {take.first_bar} to {take.last_bar}
                <span className="block text-[13px] text-pencil">{seconds(take.seconds)}</span>
              </span>
              <span className="min-w-0 text-[13px]">
                <Recorded take={take} />
                {(take.said || take.note) && (
                  <span
                    className="block truncate text-pencil"
                    title={[take.said, take.note].filter(Boolean).join(' · ')}
                  >
                    {[take.said, take.note].filter(Boolean).join(' · ')}
                  </span>
                )}
              </span>
              <span className="flex gap-3">
                <Button onClick={() => void reportErrors(() => hear(take))}>
                  {heard === take.id ? 'Stop' : 'Hear'}
                </Button>
                <Button onClick={() => bringBack(take)}>Bring back</Button>
              </span>
            </li>
          ))}
        </ol>
      )}
      <ConfirmDialog asked={asked} onClose={dismiss} />
    </div>
  )
}

/** "3 takes, 1 trial". */
function inIt(binned: BinnedTake[]) {
  const trials = binned.filter((entry) => entry.trial).length
  const takes = binned.length - trials
  return [takes && count(takes, 'take'), trials && count(trials, 'trial')].filter(Boolean).join(', ')
}

const WIDTH = 600
const HEIGHT = 34

/** What was recorded, from its first frame to its last: the last of its channels is the one farthest from the DI. */
function Recorded({ take }: { take: BinnedTake }) {
  const wave = useWave(take.id).data
  const columns = wave?.channels[Math.min(1, wave.channels.length - 1)]
  if (!wave || !columns) return <span className="block h-[34px]" />
  const stretch = { startFrame: 0, endFrame: (columns.length / 2) * wave.framesPerColumn }
  const height = (127 / Math.max(...wave.loudest)) * HEIGHT
  const path = wavePath(columns, wave.framesPerColumn, stretch, { x: 0, y: HEIGHT / 2, width: WIDTH, height })
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} preserveAspectRatio="none" className="block h-[34px] w-full" aria-hidden>
      <path d={path} fill={wave.channels.length > 1 ? 'var(--mic)' : 'var(--di)'} />
    </svg>
  )
}
