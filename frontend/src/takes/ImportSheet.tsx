import { useState } from 'react'
import { FormDialog } from '../ui/FormDialog'
import { Glyph } from '../ui/Glyph'
import { Select } from '../ui/Select'
import { Stepper } from '../ui/Stepper'
import type { Incoming, Kind, Placing, Takes } from './useImport'

const KINDS: Record<Kind, string> = { di: 'DI, clean', mic: 'microphone', sim: 'through a tone' }
const PLACINGS: Record<Placing, string> = {
  fitting: 'as fits: time stamps, else their sound',
  bar: 'they begin together, at a bar',
  stamp: 'by their time stamps',
  sound: 'by their sound: the others are laid on the first',
}

interface ImportSheetProps {
  asked: Incoming | null
  songBars: number
  onClose: () => void
  onBring: (files: File[], kinds: Kind[], placing: Placing, bar: number, takes: Takes) => Promise<void>
}

const ALONE: Record<Placing, string> = {
  ...PLACINGS,
  fitting: 'by its time stamp, else at a bar',
  bar: 'each begins at a bar',
  stamp: 'by its time stamp',
}
const TAKES: Record<Takes, string> = { together: 'one take, all at once', each: 'a take each, one after the other' }

/** Several files: what each of them is, and whether they are one take together or a take each. */
export function ImportSheet({ asked, songBars, onClose, onBring }: ImportSheetProps) {
  const [kinds, setKinds] = useState<Kind[]>([])
  const [placing, setPlacing] = useState<Placing>('fitting')
  const [bar, setBar] = useState(1)
  const [takes, setTakes] = useState<Takes>('together')
  const [of, setOf] = useState(asked)
  if (of !== asked) {
    setOf(asked)
    setKinds(asked?.kinds ?? [])
  }
  if (!asked) return null

  return (
    <FormDialog
      open
      title={takes === 'each' ? 'A take from each of these files' : 'One take from these files'}
      main="Bring them in"
      onClose={onClose}
      onKeep={() => onBring(asked.files, kinds, placing, bar, takes)}
    >
      <ul className="mb-4 flex flex-col gap-2">
        {asked.files.map((file, index) => (
          <li key={file.name} className="grid grid-cols-[16px_minmax(0,1fr)_9rem] items-center gap-2.5">
            <Glyph kind={kinds[index] ?? 'mic'} />
            <span className="truncate">{file.name}</span>
            <Select
              label={`What ${file.name} is`}
              value={kinds[index] ?? 'mic'}
              options={Object.keys(KINDS) as Kind[]}
              onChange={(kind) => setKinds(kinds.map((each, place) => (place === index ? kind : each)))}
              said={(kind) => KINDS[kind]}
            />
          </li>
        ))}
      </ul>
      <div className="mb-2 flex items-center gap-4">
        <span className="text-pencil">They are</span>
        <Select
          label="What they are together"
          value={takes}
          options={Object.keys(TAKES) as Takes[]}
          onChange={(to) => {
            setTakes(to)
            if (to === 'each' && placing === 'sound') setPlacing('fitting')
          }}
          said={(each) => TAKES[each]}
        />
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <span className="text-pencil">Laid out</span>
        <Select
          label="How they are laid out"
          value={placing}
          options={(Object.keys(PLACINGS) as Placing[]).filter((each) => takes === 'together' || each !== 'sound')}
          onChange={setPlacing}
          said={(each) => (takes === 'each' ? ALONE[each] : PLACINGS[each])}
        />
        {placing !== 'stamp' && (
          <span className="flex items-center gap-2">
            <span className="text-pencil">from bar</span>
            <Stepper label="Bar" value={bar} from={1} to={songBars} onChange={setBar} />
          </span>
        )}
      </div>
    </FormDialog>
  )
}
