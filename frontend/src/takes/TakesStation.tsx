import { useState } from 'react'
import { Link } from 'react-router'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { NoPart } from '../shell/NoPart'
import { useKeys } from '../shell/useKeys'
import { ImportSheet } from './ImportSheet'
import { PartSide } from './PartSide'
import { PhraseGrid } from './PhraseGrid'
import { SongSheet } from './SongSheet'
import { TakeDrawer } from './TakeDrawer'
import { useImport } from './useImport'
import { usePunching } from './usePunching'
import { useTakeActs } from './useTakeActs'

/** Record passes and see what there is: the song as a chart, and the chosen section take by take. */
export function TakesStation() {
  const { session, part, sheet, takes, takesPending } = useOpenSession()
  const { take, rows, chooseTake } = useChoice()
  const rolling = useRolling()
  const [details, setDetails] = useState(false)
  const bringIn = useImport()
  const punching = usePunching()
  const acts = useTakeActs()
  const step = (by: number) => {
    const next = rows[rows.findIndex((row) => row.id === take?.id) + by]
    if (next) chooseTake(next.id)
  }
  useKeys([
    { key: 'ArrowDown', does: 'the take below', act: () => step(1) },
    { key: 'ArrowUp', does: 'the take above', act: () => step(-1) },
    { key: 'w', does: 'punch in, punch out; window of what is heard or chosen', act: punching.press },
    { key: 's', does: 'star the take', act: () => take && acts.rate(take, 'starred') },
    { key: 'x', does: 'reject the take', act: () => take && acts.rate(take, 'struck') },
    { key: 'i', does: 'details of the take', act: () => setDetails(!details) },
    { key: 'Delete', does: 'put the take into the bin', act: () => take && rolling.bin(take) },
  ])

  if (!part) return <NoPart />
  if (session.sections.length === 0)
    return (
      <p className="p-8">
        The song has no sections yet.{' '}
        <Link to="/song" className="underline underline-offset-4">
          Add them in Song
        </Link>
        : a roll plays one section.
      </p>
    )
  if (takesPending || !sheet)
    return (
      <p role="status" className="p-8 text-pencil">
        Loading takes…
      </p>
    )

  return (
    <div
      className="grid h-full grid-cols-[206px_minmax(0,1fr)] gap-x-6 pr-5 pl-6"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault()
        void bringIn.bring(event.dataTransfer.files)
      }}
    >
      <PartSide onFile={(files) => void bringIn.bring(files)} bringing={bringIn.bringing} />
      <div className="flex min-h-0 flex-col">
        <SongSheet punching={punching} />
        <PhraseGrid onDetails={() => setDetails(true)} />
      </div>
      <ImportSheet
        asked={bringIn.asked}
        songBars={session.song_bars}
        onClose={bringIn.dismiss}
        onBring={bringIn.send}
      />
      <TakeDrawer open={details} onClose={() => setDetails(false)} empty={takes.length === 0} />
    </div>
  )
}
