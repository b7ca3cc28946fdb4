import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/react'
import { ChevronDown } from 'lucide-react'

/** One of several words, chosen from a list. */
export function Select<Value extends string | number>({
  label,
  value,
  options,
  onChange,
  said = (option) => String(option),
  detail,
}: {
  label: string
  value: Value
  options: readonly Value[]
  onChange: (value: Value) => void
  said?: (option: Value) => string
  detail?: (option: Value) => string
}) {
  return (
    <Listbox value={value} onChange={onChange}>
      <ListboxButton
        aria-label={`${label}: ${said(value)}`}
        className="flex min-w-0 items-center gap-1.5 border-b border-rule text-left text-[14px] hover:border-ink"
      >
        <span className="truncate">{said(value)}</span>
        <ChevronDown size={14} className="shrink-0 text-pencil" aria-hidden />
      </ListboxButton>
      <ListboxOptions
        anchor={{ to: 'bottom start', padding: 12 }}
        className="z-30 min-w-44 border [--anchor-max-height:20rem] border-ink bg-sheet py-1 text-ink"
      >
        {options.map((option) => (
          <ListboxOption
            key={option}
            value={option}
            className="px-3.5 py-1.5 data-focus:bg-wash data-selected:font-bold"
          >
            {said(option)}
            {detail && <span className="block text-[13px] font-normal text-pencil">{detail(option)}</span>}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  )
}
