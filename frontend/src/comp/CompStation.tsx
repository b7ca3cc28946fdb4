import { useCallback, useEffect } from 'react'
import type { Comp, Part, Sheet } from '../api/client'
import { useComp } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useStationActs } from '../desk/DeckActs'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { NoPart } from '../shell/NoPart'
import { UndoLinks } from '../shell/UndoLinks'
import { useKeys } from '../shell/useKeys'
import { notice } from '../api/live'
import { count } from '../ui/format'
import { CompGrid } from './CompGrid'
import { CompSheet } from './CompSheet'
import { Versions } from './Versions'
import { useCompActs } from './useCompActs'
import { useCompCell } from './useCompCell'
import { useTryOut } from './useTryOut'

const LINK = 'text-pencil underline underline-offset-4 hover:text-ink'

/** The best phrases of many takes become one performance: chosen by ear and keys, joined by the program. */
export function CompStation() {
  const { session, part, sheet } = useOpenSession()
  const comp = useComp(part?.id).data
  if (!part) return <NoPart />
  if (!sheet || !comp || session.sections.length === 0)
    return (
      <p role="status" className="p-8 text-pencil">
        {session.sections.length ? 'Loading the comp…' : 'The song has no sections yet: add them in Song.'}
      </p>
    )
  return <OfPart key={part.id} part={part} sheet={sheet} comp={comp} />
}

function OfPart({ part, sheet, comp }: { part: Part; sheet: Sheet; comp: Comp }) {
  const { takes } = useOpenSession()
  const { sectionId, chooseSection } = useChoice()
  const { rollOrStop, binAndRoll } = useRolling()
  const { cell, dry, setDry, goTo, step } = useCompCell(sheet, takes, sectionId)
  const acts = useCompActs(part.id)
  const { hear, stop, sounds, tried } = useTryOut(part.id)
  const line = comp.lines.find((entry) => entry.section_id === cell?.line.section.id)
  const offer = line?.offers[0]

  // What is rolled from here is the section that is looked at.
  const here = cell?.line.section.id
  useEffect(() => {
    if (here && here !== sectionId) chooseSection(here)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [here])

  // Whoever goes to another phrase or take while one sounds wants to hear that.
  const meant = cell?.take && `${cell.phrase.first_bar} ${cell.take.id} ${dry}`
  useEffect(() => {
    if (sounds && cell?.take && meant !== heardAs(tried)) hear(cell.take, cell.phrase, dry)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [meant])

  const { take, phrase } = cell ?? {}
  const playOrStop = useCallback(() => {
    if (sounds) return stop()
    if (!take || !phrase) return notice('no take plays here yet: Page Down rolls one')
    hear(take, phrase, dry)
  }, [sounds, stop, hear, take, phrase, dry])

  useStationActs({ record: 'Roll', roll: rollOrStop, binAndRoll, playOrStop })
  useKeys([
    { key: 'ArrowLeft', does: 'the phrase before', act: () => step(-1, 0) },
    { key: 'ArrowRight', does: 'the phrase after', act: () => step(1, 0) },
    { key: 'ArrowUp', does: 'the take above', act: () => step(0, -1) },
    { key: 'ArrowDown', does: 'the take below', act: () => step(0, 1) },
    {
      key: 'Enter',
      does: 'use the take in this phrase',
      act: () => (cell?.take ? acts.use(cell.take.id, cell.phrase) : notice('no take plays here yet')),
    },
    { key: 'Backspace', does: 'leave the phrase empty', act: () => cell && acts.clear(cell.phrase) },
    { key: 'f', does: 'let the section follow the takes again', act: () => cell && acts.follow(cell.phrase) },
    {
      key: 'o',
      does: 'use what a newer take offers',
      act: () => (offer ? acts.use(offer.take_id, offer) : notice('no newer take has anything for this section')),
    },
    { key: 'p', does: 'a first comp of the section', act: () => here && acts.propose([here]) },
    { key: 'd', does: 'hear the DI, and back', act: () => setDry(!dry) },
  ])

  const holes = comp.lines.flatMap((entry) => entry.holes)
  return (
    <div className="flex h-full min-h-0 flex-col px-6">
      <div className="flex h-9 shrink-0 items-baseline gap-4">
        <h2 className="text-[18px] whitespace-nowrap">{part.name}</h2>
        <Versions comp={comp} acts={acts} />
        <p className="min-w-0 truncate text-[13px] text-pencil">
          {holes.length ? count(holes.length, 'hole') : 'no holes'}
          {comp.looks > 0 && ` · ${count(comp.looks, 'join')} to hear`}
        </p>
        <p className="flex gap-3 text-[13px] whitespace-nowrap">
          First comp:
          <button className={LINK} onClick={() => here && acts.propose([here])}>
            this section (P)
          </button>
          <button className={LINK} onClick={() => acts.propose([])}>
            the song
          </button>
          {holes.length > 0 && (
            <button className={LINK} onClick={() => acts.propose([], true)}>
              what is missing
            </button>
          )}
        </p>
        <span className="ml-auto" />
        <UndoLinks />
      </div>
      <CompSheet sheet={sheet} comp={comp} takes={takes} cell={cell} onChoose={goTo} />
      {cell && line && (
        <CompGrid
          cell={cell}
          line={line}
          partId={part.id}
          tried={tried}
          dry={dry}
          onChoose={(phrase, take) => goTo(phrase, take.id)}
          onUse={(phrase, take) => acts.use(take.id, phrase)}
          onOffer={() => offer && acts.use(offer.take_id, offer)}
        />
      )}
    </div>
  )
}

const heardAs = (tried: ReturnType<typeof useTryOut>['tried']) =>
  tried && `${tried.phrase.first_bar} ${tried.take.id} ${tried.dry}`
