import type { Bench } from '../../api/client'
import { useOpenSession } from '../../desk/OpenSession'
import { Select } from '../../ui/Select'
import { Stepper } from '../../ui/Stepper'
import { TypedFigure } from '../../ui/TypedFigure'
import { figure, readFigure } from '../../ui/format'

interface BenchHeadProps {
  bench: Bench
  onSource: (materialId: string | null) => void
  onBars: (from: number, to: number) => void
  onVoltage: (volts: number | null) => void
}

const SOUND = 'what it sounds like'

/** What goes round: the dry source, its bars, and the voltage that it stands for. */
export function BenchHead({ bench, onSource, onBars, onVoltage }: BenchHeadProps) {
  const { session } = useOpenSession()
  const last = session.song_bars
  const keys = bench.sources.map((source) => source.material_id ?? SOUND)
  const named = (key: string) => bench.sources.find((source) => (source.material_id ?? SOUND) === key)
  const sections = session.sections.map((section) => section.name)
  const here = session.sections.find(
    (section) => section.first_bar === bench.from_bar && section.first_bar + section.bars === bench.to_bar,
  )
  return (
    <div className="flex min-w-0 items-center gap-x-4 gap-y-1 text-[14px] whitespace-nowrap">
      <span className="flex min-w-0 items-baseline gap-1.5">
        <span className="text-pencil">{bench.part_name},</span>
        <Select
          label="Dry source"
          value={bench.material_id ?? SOUND}
          options={keys}
          said={(key) => named(key)?.name ?? key}
          detail={(key) => {
            const source = named(key)
            return source ? `bars ${source.first_bar} to ${source.last_bar}` : ''
          }}
          onChange={(key) => onSource(key === SOUND ? null : key)}
        />
      </span>
      <span className="flex items-center gap-1 text-pencil">
        bars
        <Stepper
          label="First bar of the loop"
          value={bench.from_bar}
          from={1}
          to={Math.max(1, bench.to_bar - 1)}
          onChange={(from) => onBars(from, bench.to_bar)}
        />
        to
        <Stepper
          label="Last bar of the loop"
          value={bench.to_bar - 1}
          from={bench.from_bar}
          to={Math.max(last, bench.from_bar)}
          onChange={(to) => onBars(bench.from_bar, to + 1)}
        />
        {sections.length > 0 && (
          <Select
            label="Section that goes round"
            value={here?.name ?? 'section'}
            options={here ? sections : ['section', ...sections]}
            onChange={(name) => {
              const section = session.sections.find((each) => each.name === name)
              if (section) onBars(section.first_bar, section.first_bar + section.bars)
            }}
          />
        )}
      </span>
      <Voltage bench={bench} onVoltage={onVoltage} />
    </div>
  )
}

/** Volts for full scale: as the rig sheet tells, typed, or guessed from the playing. */
function Voltage({ bench, onVoltage }: { bench: Bench; onVoltage: (volts: number | null) => void }) {
  const { full_scale_v: volts, how, says } = bench.voltage
  const shown = figure(volts, volts < 10 ? 2 : 1)
  return (
    <span
      className="flex min-w-0 items-baseline gap-1.5 text-pencil"
      title={`${says}: what the DI stands for in volts`}
    >
      0 dBFS is
      <TypedFigure
        label="the voltage of full scale"
        begin={shown}
        className="border-b border-rule font-semibold text-ink hover:border-ink"
        typedClassName="w-14 text-ink"
        onKeep={(typed) => {
          const read = readFigure(typed)
          if (typed.trim() === '') onVoltage(null)
          else if (Number.isFinite(read)) onVoltage(read)
        }}
      >
        {shown} V
      </TypedFigure>
      <span className="min-w-0 truncate">{how === 'typed' ? 'typed' : says}</span>
      {how === 'typed' && (
        <button className="underline underline-offset-4" onClick={() => onVoltage(null)}>
          as measured
        </button>
      )}
    </span>
  )
}
