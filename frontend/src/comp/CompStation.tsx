import { useCallback, useEffect, useMemo, useState } from 'react'
import { useAsking } from '../api/acts'
import { type Comp, type Part, type Sheet, type Take, answered, api } from '../api/client'
import { refreshTakes } from '../api/queries'
import { useComp, usePieceLevels, useTempoThere } from './queries'
import { useChoice } from '../desk/Choice'
import { useStationActs } from '../desk/DeckActs'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { NoPart } from '../shell/NoPart'
import { UndoLinks } from '../shell/UndoLinks'
import { useAddress } from '../shell/useAddress'
import { useKeys } from '../shell/useKeys'
import { notice, useLive } from '../api/live'
import { ConfirmDialog } from '../ui/ConfirmDialog'
import { count } from '../ui/format'
import { CompGrid } from './CompGrid'
import { CompSheet } from './CompSheet'
import { GatherDialog } from './GatherDialog'
import { JoinPanel } from './JoinPanel'
import { type Lifted, RangeBar, rangeWords } from './RangeBar'
import { MadeDialog } from './MadeDialog'
import { Versions } from './Versions'
import { VersionsPanel } from './VersionsPanel'
import { useCompActs } from './useCompActs'
import { type Range, useCompCell } from './useCompCell'
import { useTryOut } from './useTryOut'

const STANDS_MS = 150

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
  const { session, takes } = useOpenSession()
  const { sectionId, chooseSection } = useChoice()
  const { rollOrStop, rollPast, binAndRoll } = useRolling()
  const { cell, dry, setDry, byStroke, setByStroke, goTo, step, reach, setUnit, resize } = useCompCell(
    part.id,
    sheet,
    takes,
    sectionId,
  )
  const acts = useCompActs(part.id)
  const rolling = useLive((live) => live.rolling) !== null
  const { hear, prepare, stop, sounds, tried } = useTryOut(comp)
  const { shown, show } = useAddress()
  const percent = Number(shown.get('percent') ?? 100)
  const join = shown.get('join') === null ? null : Number(shown.get('join'))
  const line = comp.lines.find((entry) => entry.section_id === cell?.line.section.id)
  const offer = line?.offers[0]
  const levels = usePieceLevels(part.id, comp.versions.length > 0).data
  const level =
    cell && levels?.find((entry) => middleOf(cell.range) >= entry.from_frame && middleOf(cell.range) < entry.to_frame)

  // What is rolled from here is the section that is looked at.
  const here = cell?.line.section.id
  useEffect(() => {
    if (here && here !== sectionId) chooseSection(here)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [here])

  // Whoever goes to another phrase or take while one sounds wants to hear that.
  const meant = cell?.take && heardAs({ range: cell.range, take: cell.take, dry })
  useEffect(() => {
    if (sounds && join === null && cell?.take && tried && meant !== heardAs(tried)) hear(cell.take, cell.range, dry)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [meant])

  // Who stands somewhere will want to hear it, and then the takes beside it and what follows.
  useEffect(() => {
    if (!cell?.take || rolling) return
    const { take, rows, range, following } = cell
    const near = [take, rows[rows.indexOf(take) + 1], rows[rows.indexOf(take) - 1]]
      .filter((one) => one !== undefined)
      .map((one) => ({ take: one, range }))
    if (following) near.push({ take, range: following })
    const timer = setTimeout(() => void prepare(near, dry), STANDS_MS)
    return () => clearTimeout(timer)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [meant, rolling, comp])

  const take = cell?.take
  const [from, to] = [cell?.range.from_frame, cell?.range.to_frame]
  const playOrStop = useCallback(() => {
    if (sounds) return stop()
    if (!take || from === undefined || to === undefined) return notice('no take plays here yet: Page Down rolls one')
    hear(take, { from_frame: from, to_frame: to }, dry)
  }, [sounds, stop, hear, take, from, to, dry])

  const showJoin = useCallback((frame: number | null) => show({ join: frame === null ? null : String(frame) }), [show])
  function nextJoin(by: number) {
    const joins = comp.lines.flatMap((entry) => entry.joins).map((entry) => entry.frame)
    if (!joins.length) return notice('there is no join yet: use another take somewhere')
    // A border may have been moved before the bar line.
    const at = join ?? (cell ? cell.range.from_frame - session.rate_hz / 8 : 0)
    const next = by > 0 ? joins.find((frame) => frame > at) : joins.findLast((frame) => frame < at)
    showJoin(next ?? (by > 0 ? joins[0]! : joins[joins.length - 1]!))
  }

  const lifted = liftedIn(shown.get('lifted'), takes)
  function lift() {
    if (!cell?.take) return
    show({ lifted: [cell.take.number, cell.range.from_frame, cell.range.to_frame, rangeWords(cell)].join('~') })
    notice(`take ${cell.take.number}, ${rangeWords(cell)}: go where it shall begin, and V lays it there`)
  }
  const tempoThere = useTempoThere(part.id, lifted?.range, lifted && cell?.range.from_frame).data
  const lay = (how: { under?: boolean; stretched?: boolean }) =>
    lifted && cell
      ? acts.lift(lifted.range, lifted.takeId, cell.range.from_frame, how)
      : notice('nothing was lifted yet: S takes the chosen range of a take along')

  // Where nothing sounds the pedal rolls just that, and what comes lands in it.
  const empty = useMemo(
    () =>
      (line?.holes ?? [])
        .filter((hole) => from !== undefined && hole.from_frame < to! && from < hole.to_frame)
        .map(({ from_frame, to_frame }) => ({ from_frame, to_frame })),
    [line, from, to],
  )
  const fills = line?.settled && empty.length > 0
  const roll = useCallback(() => (fills ? rollPast(empty) : rollOrStop()), [fills, empty, rollPast, rollOrStop])
  const current = comp.versions.find((version) => version.current)
  const [making, setMaking] = useState(false)
  const [gathering, setGathering] = useState(false)
  const beside = shown.get('beside') === 'versions' && comp.versions.length > 1
  const blind = shown.get('blind') !== null
  const compare = () =>
    comp.versions.length > 1
      ? show({ beside: 'versions', join: null })
      : notice('there is one version only: copy it, and change the copy')

  useStationActs({ record: fills ? 'Roll the hole' : 'Roll', roll, binAndRoll, playOrStop })
  useKeys([
    {
      key: 'ArrowLeft',
      does: 'the one before; with Shift the range shorter',
      act: (press) => (press.shiftKey ? reach(-1) : step(-1, 0)),
    },
    {
      key: 'ArrowRight',
      does: 'the one after; with Shift the range longer',
      act: (press) => (press.shiftKey ? reach(1) : step(1, 0)),
    },
    { key: 'ArrowUp', does: 'the take above', act: () => step(0, -1) },
    { key: 'ArrowDown', does: 'the take below', act: () => step(0, 1) },
    { key: '-', does: 'a smaller unit: bar, beat, stroke', act: () => resize(1) },
    { key: '+', does: 'a larger unit', act: () => resize(-1) },
    {
      key: 'Enter',
      does: 'use the take there',
      act: () => (cell?.take ? acts.use(cell.take.id, cell.range) : notice('no take plays here yet')),
    },
    { key: 'Backspace', does: 'leave it empty', act: () => cell && acts.clear(cell.range) },
    { key: 'f', does: 'let the section follow the takes again', act: () => cell && acts.follow(cell.phrase) },
    {
      key: 'o',
      does: 'use what a newer take offers',
      act: () => (offer ? acts.use(offer.take_id, offer) : notice('no newer take has anything for this section')),
    },
    { key: 'p', does: 'a first comp of the section', act: () => here && acts.propose([here]) },
    { key: 'd', does: 'hear the DI, and back', act: () => setDry(!dry) },
    { key: 'j', does: 'look at the next join', act: (press) => nextJoin(press.shiftKey ? -1 : 1) },
    { key: 'k', does: 'onto the click', act: () => cell && acts.moveOnto(cell.range, 'click', percent, byStroke) },
    { key: 't', does: 'move stroke by stroke, and back to the whole', act: () => setByStroke(!byStroke) },
    { key: 'c', does: 'tune onto the note', act: () => cell && acts.tune(cell.range, null) },
    { key: 'b', does: 'back where it was played', act: () => cell && acts.moveBack(cell.range) },
    {
      key: 'e',
      does: 'even its level',
      act: () => (level ? acts.turn(level, -level.off_db) : notice('nothing drops or jumps here')),
    },
    { key: 'x', does: 'versions side by side', act: compare },
    { key: 'g', does: 'files and prints', act: () => current && setMaking(true) },
    { key: 's', does: 'lift the range', act: lift },
    {
      key: 'v',
      does: 'lay what was lifted; with Shift stretched to the tempo here',
      act: (press) => lay({ stretched: press.shiftKey }),
    },
  ])

  const { asked, dismiss, asking } = useAsking()
  const tidy = () =>
    void asking(async (agreed) => {
      const params = { path: { part_id: part.id }, query: { agreed } }
      await answered(api.POST('/api/parts/{part_id}/comp/tidy', { params }))
      refreshTakes()
    })

  const holes = comp.lines.flatMap((entry) => entry.holes)
  return (
    <div className="flex h-full min-h-0 flex-col px-6">
      <div className="flex h-9 shrink-0 items-baseline gap-4">
        <h2 className="text-[18px] whitespace-nowrap">{part.name}</h2>
        <Versions comp={comp} acts={acts} onCompare={compare} onMade={() => setMaking(true)} />
        <p className="hidden text-[13px] whitespace-nowrap text-pencil min-[1200px]:block">
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
        <p className="flex gap-3 text-[13px] whitespace-nowrap">
          <button className={LINK} onClick={() => setGathering(true)}>
            gather…
          </button>
          <button className={LINK} onClick={tidy}>
            tidy…
          </button>
        </p>
        <span className="ml-auto" />
        <UndoLinks />
      </div>
      {!(beside && blind) && (
        <CompSheet
          sheet={sheet}
          comp={comp}
          takes={takes}
          cell={cell}
          levels={levels ?? []}
          join={join}
          onChoose={(phrase) => {
            showJoin(null)
            goTo(phrase)
          }}
          onJoin={showJoin}
        />
      )}
      {cell && beside && (
        <VersionsPanel
          partId={part.id}
          comp={comp}
          span={cell.line}
          words={cell.line.section.name}
          dry={dry}
          blind={blind}
          acts={acts}
          onBlind={(on) => show({ blind: on ? 'yes' : null })}
          onLeave={() => show({ beside: null, blind: null })}
        />
      )}
      {gathering && <GatherDialog part={part} onClose={() => setGathering(false)} />}
      <ConfirmDialog asked={asked} onClose={dismiss} />
      {current && (
        <MadeDialog
          open={making}
          compId={current.id}
          name={current.name}
          section={cell?.line.section}
          rateHz={session.rate_hz}
          onClose={() => setMaking(false)}
        />
      )}
      {cell && line && !beside && join === null && (
        <>
          <RangeBar
            cell={cell}
            line={line}
            level={level}
            lifted={lifted}
            tempoThere={tempoThere?.says ?? ''}
            byStroke={byStroke}
            percent={percent}
            acts={acts}
            onByStroke={setByStroke}
            onPercent={(share) => show({ percent: share === 100 ? null : String(share) })}
            onUnit={setUnit}
            onLift={lift}
            onLay={lay}
          />
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
        </>
      )}
      {join !== null && !beside && (
        <JoinPanel
          partId={part.id}
          frame={join}
          rateHz={session.rate_hz}
          takes={takes}
          dry={dry}
          acts={acts}
          onShow={showJoin}
          onNext={nextJoin}
        />
      )}
    </div>
  )
}

const middleOf = ({ from_frame, to_frame }: Range) => (from_frame + to_frame) / 2

const heardAs = ({ range, take, dry }: { range: Range; take: Take; dry: boolean }) =>
  `${range.from_frame} ${range.to_frame} ${take.id} ${dry}`

/** What the address says was lifted: the number of the take, from where to where, and in words. */
function liftedIn(said: string | null, takes: Take[]): Lifted | undefined {
  const [number, from, to, words] = said?.split('~') ?? []
  const take = takes.find((entry) => entry.number === Number(number))
  if (!take || !words) return undefined
  return { takeId: take.id, number: take.number, range: { from_frame: Number(from), to_frame: Number(to) }, words }
}
