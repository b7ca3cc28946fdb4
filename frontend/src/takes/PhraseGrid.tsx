import { useVirtualizer } from '@tanstack/react-virtual'
import { useDeferredValue, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import type { Finding, Judged, SheetLine, Take } from '../api/client'
import { playedSpan, useLive } from '../api/live'
import { useJudged, useTuningDrift } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useWidth } from '../shell/useSize'
import { count } from '../ui/format'
import { Evidence, type Evident } from './Evidence'
import { NextRoll } from './NextRoll'
import { RollingRows } from './RollingRows'
import { SideBySideBar } from './SideBySideBar'
import { TakeRow } from './TakeRow'
import { type SideBySide, useSideBySide } from './useSideBySide'
import { WaitingTakes } from './WaitingTakes'
import { useTakeActs } from './useTakeActs'

const LOWEST_ROW = 44
const HIGHEST_ROW = 84

/** The chosen section, take by take: rows are takes, columns are phrases. */
export function PhraseGrid({ onDetails }: { onDetails: () => void }) {
  const { takes, part } = useOpenSession()
  const { sectionId, line, rows } = useChoice()
  const acts = useTakeActs()
  const judged = useJudged(part?.id, sectionId)
  const [drift] = useTuningDrift(part?.id, takes.length, judged.isSuccess).data ?? []
  const [evident, setEvident] = useState<Evident | null>(null)
  const [width, box] = useWidth<HTMLElement>()
  const rolling = useLive((live) => live.rolling)
  const sideBySide = useSideBySide(rows, line?.phrases ?? [])
  if (!line) return null
  const binned = takes.filter((take) => take.part_id === part?.id && take.binned).length

  return (
    <section aria-label="Takes of the section" ref={box} className="flex min-h-0 grow flex-col pt-2">
      {sideBySide.beside ? (
        <SideBySideBar rows={rows} sideBySide={sideBySide} />
      ) : (
        <div className="flex items-baseline gap-6 px-2.5 pb-1.5 whitespace-nowrap">
          <h2 className="text-[18px]">{line.section.name}, take by take</h2>
          <p className="text-[13px] text-pencil">
            phrases of {count(line.section.phrase_bars, 'bar')} · {count(rows.length, 'take')}
            {binned > 0 && (
              <>
                {' · '}
                <Link to="/bin" className="underline underline-offset-4 hover:text-ink">
                  {binned} in the bin
                </Link>
              </>
            )}
          </p>
          {judged.isFetching && (
            <p role="status" className="text-[13px] text-pencil">
              analysing…
            </p>
          )}
          {drift && (
            <p className="truncate text-[13px]" title={drift.says}>
              ~ {drift.note} went {Math.abs(Math.round(drift.cents))} cents {drift.cents > 0 ? 'sharp' : 'flat'} since
              take {drift.first_number}
            </p>
          )}
          <span className="ml-auto" />
          {rows.some((take) => take.rating === 'starred') && (
            <button
              onClick={() => acts.keepStarred(rows)}
              className="text-[13px] text-pencil underline underline-offset-4 hover:text-ink"
            >
              keep only the starred
            </button>
          )}
          {rows.length > 0 && (
            <button
              onClick={sideBySide.openHere}
              className="text-[13px] text-pencil underline underline-offset-4 hover:text-ink"
            >
              V: hear them side by side
            </button>
          )}
          {!drift && <p className="truncate text-[13px] text-pencil">S stars, X rejects, I shows details</p>}
        </div>
      )}
      {width > 0 &&
      rolling &&
      playedSpan(rolling).from_frame < line.to_frame &&
      playedSpan(rolling).to_frame > line.from_frame ? (
        <div className="min-h-0 grow overflow-y-auto">
          <RollingRows line={line} rolling={rolling} width={width} />
        </div>
      ) : rows.length === 0 ? (
        <div className="min-h-0 grow overflow-y-auto">
          <NextRoll line={line} />
        </div>
      ) : (
        width > 0 && (
          <TakeRows
            rows={rows}
            line={line}
            judged={judged.data}
            width={width}
            sideBySide={sideBySide}
            onDetails={onDetails}
            onEvidence={(take, finding) =>
              setEvident({ take, finding, other: withoutIt(rows, judged.data, take, finding, line) })
            }
          />
        )
      )}
      <WaitingTakes />
      <Evidence evident={evident} onClose={() => setEvident(null)} />
    </section>
  )
}

/** The newest other take of the phrase that has nothing of the kind. */
function withoutIt(
  rows: Take[],
  judged: Judged | undefined,
  take: Take,
  finding: Finding,
  line: SheetLine,
): Take | undefined {
  const place = line.phrases.findIndex((phrase) => finding.at_frame < phrase.to_frame)
  return rows.find((row) => {
    const cell = judged?.takes.find((entry) => entry.take_id === row.id)?.cells[Math.max(0, place)]
    return row.id !== take.id && cell?.played && !cell.findings.some((entry) => entry.kind === finding.kind)
  })
}

interface TakeRowsProps {
  rows: Take[]
  line: SheetLine
  judged: Judged | undefined
  width: number
  sideBySide: SideBySide
  onDetails: () => void
  onEvidence: (take: Take, finding: Finding) => void
}

/** The rows that are in sight, and some beyond: a long evening's takes cost no more than the first ten. */
function TakeRows({ rows, line, judged, width, sideBySide, onDetails, onEvidence }: TakeRowsProps) {
  const box = useRef<HTMLDivElement>(null)
  const [room, setRoom] = useState(0)
  useLayoutEffect(() => {
    const observer = new ResizeObserver(([entry]) => setRoom(entry!.contentRect.height))
    observer.observe(box.current!)
    setRoom(box.current!.clientHeight)
    return () => observer.disconnect()
  }, [])
  // Few takes share the room that there is; many keep a height that can still be read.
  const height = Math.max(LOWEST_ROW, Math.min(HIGHEST_ROW, Math.floor(room / rows.length)))
  const inSight = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan: 5,
    getItemKey: (index) => rows[index]!.id,
    useFlushSync: false,
  })
  useEffect(() => inSight.measure(), [inSight, height])
  // The one that is meant is in sight, however it was chosen.
  const { take } = useChoice()
  const meant = rows.findIndex((row) => row.id === take?.id)
  useEffect(() => {
    if (meant >= 0) inSight.scrollToIndex(meant)
  }, [inSight, meant])
  // Rows that come into sight soon are made in the time that is left between frames.
  const items = useDeferredValue(inSight.getVirtualItems()).filter((item) => item.index < rows.length)
  return (
    <div ref={box} className="min-h-0 grow overflow-y-auto bg-paper will-change-transform">
      <div className="relative" style={{ height: inSight.getTotalSize() }}>
        {items.map((item) => (
          <div
            key={rows[item.index]!.id}
            className="absolute inset-x-0 contain-layout contain-size"
            style={{ top: item.start, height }}
          >
            <TakeRow
              take={rows[item.index]!}
              line={line}
              judged={judged?.takes.find((entry) => entry.take_id === rows[item.index]!.id)}
              width={width}
              height={height}
              sideBySide={sideBySide}
              onDetails={onDetails}
              onEvidence={onEvidence}
            />
          </div>
        ))}
      </div>
    </div>
  )
}
