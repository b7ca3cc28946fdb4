import { useState } from 'react'
import { useBackings } from '../api/queries'
import { useOpenSession } from '../desk/OpenSession'
import { ConfirmDialog } from '../ui/ConfirmDialog'
import { BackingLane } from './BackingLane'
import { BackingPanel } from './BackingPanel'
import { ClickPanel } from './ClickPanel'
import { SectionList } from './SectionList'
import { SongHead } from './SongHead'
import { TempoDrawing } from './TempoDrawing'
import { TempoPanel } from './TempoPanel'
import { useBacking } from './useBacking'
import { useSong } from './useSong'

/** What the song is: tempo map, sections, click, a track to play to. */
export function SongStation() {
  const { session } = useOpenSession()
  const song = useSong()
  const acts = useBacking()
  const backing = useBackings(session.id).data?.at(-1)
  const [bar, setBar] = useState(1)

  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_384px] grid-rows-[auto_minmax(0,1fr)] gap-x-7 pr-5 pb-3 pl-6">
      <div className="col-span-2">
        <SongHead session={session} song={song} onTake={(map, sections) => song.takeOver(map, sections)} />
      </div>
      <div className="flex min-h-0 flex-col gap-1">
        <TempoDrawing session={session} chosenBar={bar} onBar={setBar} />
        {backing && (
          <BackingLane
            session={session}
            backing={backing}
            onFirstBeat={(frame) => acts.correct(backing, { first_downbeat: frame })}
          />
        )}
        <SectionList session={session} onChange={song.setSections} />
      </div>
      <div className="flex min-h-0 flex-col gap-2 overflow-y-auto">
        <TempoPanel
          session={session}
          bar={Math.min(bar, session.song_bars)}
          onBar={setBar}
          onChange={song.setMap}
          onTrack={backing ? (bpm) => acts.correct(backing, { near_bpm: bpm }) : null}
        />
        <ClickPanel session={session} onChange={song.setClick} />
        <BackingPanel session={session} backing={backing} acts={acts} />
      </div>
      <ConfirmDialog asked={song.asked ?? acts.asked} onClose={song.asked ? song.dismiss : acts.dismiss} />
    </div>
  )
}
