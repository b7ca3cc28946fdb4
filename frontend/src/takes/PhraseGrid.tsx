import { useState } from 'react'
import { Link } from 'react-router'
import type { Finding, Judged, SheetLine, Take } from '../api/client'
import { playedSpan, useLive } from '../api/live'
import { useJudged, useTuningDrift } from '../api/queries'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useWidth } from '../shell/useSize'
import { RowsInSight } from '../ui/RowsInSight'
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

function TakeRows({ rows, line, judged, width, sideBySide, onDetails, onEvidence }: TakeRowsProps) {
  const { take } = useChoice()
  return (
    <RowsInSight
      rows={rows}
      meant={take?.id}
      // Few takes share the room that there is; many keep a height that can still be read.
      heightIn={(room) => Math.max(LOWEST_ROW, Math.min(HIGHEST_ROW, Math.floor(room / rows.length)))}
    >
      {(row, height) => (
        <TakeRow
          take={row}
          line={line}
          judged={judged?.takes.find((entry) => entry.take_id === row.id)}
          width={width}
          height={height}
          sideBySide={sideBySide}
          onDetails={onDetails}
          onEvidence={onEvidence}
        />
      )}
    </RowsInSight>
  )
}
