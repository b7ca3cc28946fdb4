import { ArrowDown, ArrowUp, Plus, X } from 'lucide-react'
import type { Session } from '../api/client'
import { Button } from '../ui/Button'
import { Stepper } from '../ui/Stepper'
import { TextField } from '../ui/TextField'
import { count } from '../ui/format'
import type { NewSection } from './useSong'

const USUAL = ['Intro', 'Verse', 'Chorus', 'Solo', 'Bridge', 'Outro']

/** The song as a chart: a line for each section, its bars as measures; what belongs to a section goes where it goes. */
export function SectionList({ session, onChange }: { session: Session; onChange: (sections: NewSection[]) => void }) {
  const sections: NewSection[] = session.sections
  const most = Math.max(8, ...sections.map((section) => section.bars))

  function changed(index: number, changes: Partial<NewSection>) {
    onChange(
      sections.map((section, at) => {
        if (at !== index) return section
        const next = { ...section, ...changes }
        return { ...next, phrase_bars: Math.min(next.phrase_bars, next.bars) }
      }),
    )
  }

  function moved(index: number, by: number) {
    const next = [...sections]
    const [section] = next.splice(index, 1)
    next.splice(index + by, 0, section!)
    onChange(next)
  }

  return (
    <section aria-label="Sections" className="flex min-h-0 flex-col">
      <div className="flex items-baseline gap-4 pb-1.5">
        <h2 className="text-[20px] leading-tight">Sections</h2>
        <p className="min-w-0 truncate text-[13.5px] text-pencil">
          {count(sections.length, 'section')}, {count(session.song_bars, 'bar')}; takes, tempo and notes go with their
          section
        </p>
        <Button
          className="ml-auto flex items-center gap-1.5"
          onClick={() =>
            onChange([
              ...sections,
              { name: USUAL[sections.length % USUAL.length]!, first_bar: 1, bars: 8, phrase_bars: 4 },
            ])
          }
        >
          <Plus size={15} aria-hidden /> Add a section
        </Button>
      </div>
      {sections.length === 0 ? (
        <p className="border-t border-rule py-4">
          The song has no sections yet. Add the first one: its name and length can be changed at any time.
        </p>
      ) : (
        <ol className="min-h-0 overflow-y-auto border-t border-rule">
          {sections.map((section, index) => (
            <li
              key={section.id}
              className="grid grid-cols-[112px_minmax(0,1fr)_106px_132px_78px] items-center gap-x-3 border-b border-rule py-[5px]"
            >
              <TextField
                label={`Name of section ${index + 1}`}
                value={section.name}
                onKeep={(name) => changed(index, { name })}
                className="font-name text-[16px] font-semibold"
              />
              <Measures section={section} most={most} />
              <Stepper
                label={`Bars of ${section.name}`}
                value={section.bars}
                from={1}
                to={1000}
                unit="bars"
                onChange={(bars) => changed(index, { bars })}
              />
              <Stepper
                label={`Phrase of ${section.name}`}
                value={section.phrase_bars}
                from={1}
                to={section.bars}
                unit="a phrase"
                onChange={(phrase_bars) => changed(index, { phrase_bars })}
              />
              <span className="flex justify-end">
                <Small label={`${section.name} earlier`} disabled={index === 0} onClick={() => moved(index, -1)}>
                  <ArrowUp size={15} />
                </Small>
                <Small
                  label={`${section.name} later`}
                  disabled={index === sections.length - 1}
                  onClick={() => moved(index, 1)}
                >
                  <ArrowDown size={15} />
                </Small>
                <Small
                  label={`Remove ${section.name}`}
                  onClick={() => onChange(sections.filter((_, at) => at !== index))}
                >
                  <X size={15} />
                </Small>
              </span>
            </li>
          ))}
        </ol>
      )}
    </section>
  )
}

/** Bars to scale, phrases parted by a longer stroke, numbered from the section's first bar. */
function Measures({ section, most }: { section: NewSection; most: number }) {
  const share = (100 * section.bars) / most
  const step = section.bars > 24 ? section.phrase_bars : 1
  return (
    <span className="block h-8">
      <svg
        viewBox={`0 0 ${section.bars} 1`}
        preserveAspectRatio="none"
        height="14"
        className="block overflow-visible"
        style={{ width: `${share}%` }}
        aria-hidden
      >
        <rect
          width={section.bars}
          height="1"
          fill="var(--sheet)"
          stroke="var(--ink)"
          strokeWidth="1.2"
          vectorEffect="non-scaling-stroke"
        />
        {Array.from({ length: Math.floor((section.bars - 1) / step) }, (_, index) => (index + 1) * step).map((bar) => (
          <path
            key={bar}
            d={`M${bar} 0 V1`}
            stroke={bar % section.phrase_bars ? 'var(--rule)' : 'var(--ink)'}
            strokeWidth="1.2"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <span className="block text-[12px] leading-[16px] text-pencil">
        {section.first_bar} to {section.first_bar + section.bars - 1}
      </span>
    </span>
  )
}

function Small({ label, ...rest }: { label: string } & React.ButtonHTMLAttributes<HTMLButtonElement>) {
  return <button {...rest} aria-label={label} className="p-1 disabled:opacity-30" />
}
