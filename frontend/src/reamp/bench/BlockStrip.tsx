import { ArrowLeft, ArrowRight, Copy, Plus, Power, X } from 'lucide-react'
import type { BenchBlock, Curve } from '../../api/client'
import { useWidth } from '../../shell/useSize'
import { Select } from '../../ui/Select'
import { BlockChart } from './BlockChart'
import { ResponseChoice } from './ResponseChoice'
import { TurnRule } from './TurnRule'
import type { BlockActs } from './useStripActs'

interface BlockStripProps {
  block: BenchBlock
  index: number
  /** Whether the tone has paths: a line above each block says in which it lies. */
  lanes: boolean
  /** Names of responses whose files are missing. */
  missing: string[]
  curve: Curve | undefined
  chosen: boolean
  /** Which of its values the keys turn. */
  control: number
  onChoose: (control?: number) => void
  acts: BlockActs
}

/** One block: its name, what it does as a curve, what can be set. */
export function BlockStrip({ block, index, lanes, missing, curve, chosen, control, onChoose, acts }: BlockStripProps) {
  const [width, box] = useWidth<HTMLElement>()
  const inner = Math.max(90, width)
  const place = `${block.title}, block ${index + 1}`
  const all = block.groups.flatMap((group) => group.controls)
  return (
    <article
      ref={box}
      aria-label={place}
      onPointerDown={() => onChoose()}
      className={`group relative flex min-h-0 max-w-[236px] min-w-[168px] shrink-0 grow basis-[168px] flex-col bg-sheet px-2 pt-1.5 ${
        chosen ? 'border-[2.5px] border-ink' : 'm-[1.5px] border border-rule'
      } ${block.bypassed ? 'opacity-60' : ''}`}
    >
      {lanes && (
        <p
          className={`-mx-2 mb-1 h-5 shrink-0 truncate px-2 text-[12.5px] leading-5 ${block.lane ? 'border-b border-ink bg-wash' : ''}`}
        >
          {block.lane}
        </p>
      )}
      <header className="flex items-center gap-1">
        <h3
          className={`min-w-0 grow truncate leading-6 ${block.title.length > 14 ? 'text-[13.5px]' : 'text-[15.5px]'}`}
          title={block.title}
        >
          {block.title}
        </h3>
        <Tool label={`${block.bypassed ? 'Let' : 'Bypass'} ${place}`} pressed={block.bypassed} onClick={acts.bypass}>
          <Power size={14} />
        </Tool>
      </header>
      {curve && curve.axis !== 'none' && <BlockChart curve={curve} width={inner} />}
      <div className="-mx-1 min-h-0 grow overflow-x-hidden overflow-y-auto pb-1">
        {block.groups.map((group) => (
          <section key={group.path.join('.')} aria-label={group.title || block.title}>
            {group.title && (
              <h4 className="mt-1.5 flex items-center justify-between border-b border-rule px-1 text-[12.5px] text-pencil">
                {group.title}
                {group.removable && (
                  <button
                    aria-label={`Remove ${group.title} of ${place}`}
                    className="grid size-6 place-items-center hover:text-ink"
                    onClick={() => acts.removeRow(String(group.path[0]), Number(group.path[1]))}
                  >
                    <X size={13} />
                  </button>
                )}
              </h4>
            )}
            {group.controls.map((each) => {
              const at = all.indexOf(each)
              const name = `${place}: ${group.title ? `${group.title} ` : ''}${each.label}`
              const turns = chosen && control === at
              if (each.shape === 'number')
                return (
                  <TurnRule
                    key={each.path.join('.')}
                    name={name}
                    control={each}
                    width={inner + 8}
                    chosen={turns}
                    onChoose={() => onChoose(at)}
                    onTurn={(value) => acts.turn(each, value)}
                  />
                )
              if (each.shape === 'file')
                return (
                  <ResponseChoice
                    key={each.path.join('.')}
                    label={name}
                    control={each}
                    missing={missing.includes(String(each.value))}
                    onChoose={acts.setResponse}
                  />
                )
              return (
                <div
                  key={each.path.join('.')}
                  className={`flex min-h-7 flex-wrap items-center justify-between gap-x-2 px-1 text-[13px] ${turns ? 'bg-wash' : ''}`}
                >
                  <span className="whitespace-nowrap">{each.label}</span>
                  {each.shape === 'switch' ? (
                    <input
                      type="checkbox"
                      aria-label={name}
                      checked={each.value === true}
                      onFocus={() => onChoose(at)}
                      onChange={(event) => acts.turn(each, event.target.checked)}
                      className="size-4 accent-(--ink)"
                    />
                  ) : (
                    <Select
                      label={name}
                      value={String(each.value)}
                      options={each.choices}
                      said={(choice) => choice.replaceAll('_', ' ')}
                      onChange={(next) => acts.turn(each, next)}
                    />
                  )}
                </div>
              )
            })}
          </section>
        ))}
        {block.extensible.map((each) => (
          <button
            key={each.path.join('.')}
            className="flex h-7 items-center gap-1 px-1 text-[13px] underline underline-offset-4"
            onClick={() => acts.addRow(String(each.path[0]))}
          >
            <Plus size={13} /> another {each.label}
          </button>
        ))}
      </div>
      <footer
        className={`flex justify-between border-t border-rule py-0.5 text-pencil ${chosen ? '' : 'opacity-0 group-focus-within:opacity-100 group-hover:opacity-100'}`}
      >
        <Tool label={`Move ${place} towards the jack`} onClick={() => acts.move(-1)}>
          <ArrowLeft size={14} />
        </Tool>
        <Tool label={`Copy ${place}`} onClick={acts.copy}>
          <Copy size={13} />
        </Tool>
        <Tool label={`Remove ${place}`} onClick={acts.remove}>
          <X size={15} />
        </Tool>
        <Tool label={`Move ${place} away from the jack`} onClick={() => acts.move(1)}>
          <ArrowRight size={14} />
        </Tool>
      </footer>
    </article>
  )
}

function Tool({
  label,
  pressed,
  onClick,
  children,
}: {
  label: string
  pressed?: boolean
  onClick: () => void
  children: React.ReactNode
}) {
  return (
    <button
      aria-label={label}
      aria-pressed={pressed}
      title={label}
      onClick={onClick}
      className={`grid size-6 place-items-center hover:text-ink ${pressed ? 'text-mic' : 'text-pencil'}`}
    >
      {children}
    </button>
  )
}
