import type { RigView } from '../api/client'
import { useWidth } from '../shell/useSize'
import { Glyph } from '../ui/Glyph'
import { figure } from '../ui/format'

const CARD = 58
const ROW = 62
const DI_Y = 8
const AMP_Y = 84

interface Place {
  x: number
  y: number
  width: number
}

/** Both cords of a part, from the strings to the disk and to the ears; every node can be chosen and shows its values. */
export function CordsDrawing({
  view,
  chosen,
  onChoose,
  rolling,
}: {
  view: RigView
  chosen: string
  onChoose: (node: string) => void
  rolling: boolean
}) {
  const [width, box] = useWidth<HTMLDivElement>()
  const { rig } = view
  const mics = rig.mics ?? []
  const rows = Math.max(1, mics.length)
  const earsY = AMP_Y + rows * ROW + 4
  const height = earsY + 42
  const unit = Math.max(600, width) / 100
  const at = (share: number, y: number, size: number): Place => ({ x: share * unit, y, width: size * unit })
  const instrument = at(0, DI_Y, 18)
  const di = at(22, DI_Y, 20)
  const amp = at(22, AMP_Y, 17)
  const speaker = at(41.5, AMP_Y, 13)
  const mic = (index: number) => at(57, AMP_Y + index * ROW, 18)
  const figures = 78 * unit
  const tray = 97.5 * unit
  const level = (name: string) => view.channels.find((channel) => channel.name === name)
  const hasAmp = Boolean(rig.amp)
  const spoken = hasAmp && (rig.amp?.blocks?.length ?? 0) > 0
  const moves = rolling ? 'signal-moves' : ''

  return (
    <div ref={box} className="relative shrink-0" style={{ height }}>
      <svg width={width} height={height} className="absolute inset-0" aria-hidden>
        {/* The strings' voltage: to the box or input, and through it to the amp. */}
        {rig.di && <path d={line(right(instrument), left(di))} stroke="var(--ink)" strokeWidth="1.6" fill="none" />}
        {hasAmp && (
          <path
            d={
              rig.di && spoken
                ? `M${di.x + 26} ${DI_Y + CARD} V${AMP_Y}`
                : `M${instrument.x + 40} ${DI_Y + CARD} C ${instrument.x + 40} ${AMP_Y + 30}, ${amp.x - 40} ${AMP_Y + CARD / 2}, ${amp.x} ${AMP_Y + CARD / 2}`
            }
            stroke="var(--ink)"
            strokeWidth="1.6"
            fill="none"
          />
        )}
        {hasAmp && <path d={line(right(amp), left(speaker))} stroke="var(--ink)" strokeWidth="2.6" fill="none" />}
        {mics.map((entry, index) => (
          <g key={entry.name}>
            <path
              d={sweep(right(speaker), left(mic(index)))}
              stroke="var(--mic)"
              strokeWidth="1.4"
              strokeDasharray="2 5"
              fill="none"
            />
            <path
              d={`M${mic(index).x + mic(index).width} ${mic(index).y + CARD / 2} H${tray}`}
              stroke="var(--mic)"
              strokeWidth="4"
              className={moves}
            />
          </g>
        ))}
        {rig.di && (
          <path
            d={`M${di.x + di.width} ${DI_Y + CARD / 2} H${tray}`}
            stroke="var(--di)"
            strokeWidth="1.8"
            className={moves}
          />
        )}
        {/* The file tray. */}
        <path
          d={`M${tray} ${DI_Y + 6} v${AMP_Y + rows * ROW - DI_Y - 20} h${2.3 * unit} v${-(AMP_Y + rows * ROW - DI_Y - 20)}`}
          fill="none"
          stroke="var(--ink)"
          strokeWidth="2.4"
        />
        {/* To the ears: dashed, because nothing of it goes to disk. */}
        {view.ears.length > 0 && (
          <path
            d={`M${speaker.x + speaker.width / 2} ${AMP_Y + CARD} V${earsY + 14} H${speaker.x + speaker.width / 2 + 5 * unit}`}
            fill="none"
            stroke="var(--pencil)"
            strokeWidth="1.6"
            strokeDasharray="7 5"
          />
        )}
      </svg>
      <Node
        id="instrument"
        place={instrument}
        view={view}
        chosen={chosen}
        onChoose={onChoose}
        name={upper(rig.instrument ?? '')}
        detail={view.open_notes.join(' ')}
      />
      {rig.di ? (
        <Node
          id="di"
          place={di}
          view={view}
          chosen={chosen}
          onChoose={onChoose}
          name={
            rig.di.box === 'none'
              ? `${upper(rig.di.input?.kind ?? '')} input ${rig.di.input?.number}`
              : `${upper(rig.di.box ?? '')} DI box, input ${rig.di.input?.number}`
          }
          detail={`${rig.di.cable_m} m, ${gainWord(rig.di.input)}`}
        />
      ) : null}
      {rig.amp && (
        <>
          <Node
            id="amp"
            place={amp}
            view={view}
            chosen={chosen}
            onChoose={onChoose}
            name={upper(rig.amp.name ?? '')}
            detail={spoken ? `through, ${rig.amp.cable_m} m` : 'sounds by itself'}
          />
          <Node
            id="amp"
            place={speaker}
            view={view}
            chosen={chosen}
            onChoose={onChoose}
            name={rig.amp.speaker ?? ''}
            detail=""
          />
        </>
      )}
      {mics.map((entry, index) => (
        <Node
          key={entry.name}
          id={`mic:${entry.name}`}
          place={mic(index)}
          view={view}
          chosen={chosen}
          onChoose={onChoose}
          name={`${upper(entry.name)}, ${entry.kind}`}
          detail={`${((entry.distance_m ?? 0) * 100).toFixed(1)} cm, input ${entry.input?.number}, ${gainWord(entry.input)}`}
        />
      ))}
      {[
        ...(rig.di ? [{ name: 'DI', y: DI_Y, kind: 'di' as const }] : []),
        ...mics.map((entry, index) => ({ name: entry.name, y: mic(index).y, kind: 'mic' as const })),
      ].map((channel) => {
        const found = level(channel.name)
        return (
          <div
            key={channel.name}
            className="absolute flex items-center gap-2 bg-paper px-1.5 text-[13px] leading-tight"
            style={{ left: figures, top: channel.y + CARD / 2 - 18 }}
          >
            <Glyph kind={channel.kind} />
            <span>
              peak <b>{found ? figure(found.peak_dbfs) : '…'}</b>
              <span className="block text-pencil">noise {found ? figure(found.noise_dbfs, 0) : '…'} dBFS</span>
            </span>
          </div>
        )
      })}
      <button
        onClick={() => onChoose('ears')}
        className={`absolute border border-dashed px-2.5 py-1 text-left text-[13px] leading-tight ${chosen === 'ears' ? 'border-ink bg-sheet' : 'border-pencil'}`}
        style={{ left: speaker.x + speaker.width / 2 + 5 * unit, top: earsY - 4, height: 40, maxWidth: 50 * unit }}
      >
        <span className="font-name font-semibold">To your ears</span>
        <span className="block truncate text-pencil">
          {view.ears.map((ear) => `${ear.way}: ${ear.delay_ms.toFixed(1)} ms, ${ear.feel}`).join('; ')}
        </span>
      </button>
      <span className="absolute font-name text-[13px] font-semibold" style={{ right: 0, top: AMP_Y + rows * ROW - 4 }}>
        To disk
      </span>
    </div>
  )
}

function Node({
  id,
  place,
  view,
  chosen,
  onChoose,
  name,
  detail,
}: {
  id: string
  place: Place
  view: RigView
  chosen: string
  onChoose: (node: string) => void
  name: string
  detail: string
}) {
  const warnings = view.warnings.filter((warning) => warning.node === id)
  const worst = warnings.find((warning) => warning.verdict === 'fix') ?? warnings[0]
  return (
    <button
      onClick={() => onChoose(id)}
      aria-pressed={chosen === id}
      title={worst?.says}
      className={`absolute overflow-hidden px-2.5 text-left ${chosen === id ? 'border-2 border-ink bg-sheet' : 'border border-ink bg-paper'}`}
      style={{ left: place.x, top: place.y, width: place.width, height: CARD - 4 }}
    >
      <span className="block truncate font-name text-[14.5px] leading-tight font-semibold">{name}</span>
      <span
        className={`block truncate text-[12.5px] leading-tight ${worst ? 'font-semibold text-mic' : 'text-pencil'}`}
      >
        {worst ? `${worst.verdict === 'fix' ? '! fix' : '~ look'}: ${worst.says}` : detail}
      </span>
    </button>
  )
}

const right = (place: Place): [number, number] => [place.x + place.width, place.y + CARD / 2 - 2]
const left = (place: Place): [number, number] => [place.x, place.y + CARD / 2 - 2]
const line = (from: [number, number], to: [number, number]) => `M${from.join(' ')} L${to.join(' ')}`

function sweep([x0, y0]: [number, number], [x1, y1]: [number, number]) {
  const middle = (x0 + x1) / 2
  return `M${x0} ${y0} C${middle} ${y0}, ${middle} ${y1}, ${x1} ${y1}`
}

const upper = (text: string) => text.slice(0, 1).toUpperCase() + text.slice(1)

function gainWord(use: { gain_db?: number; pad?: boolean; phantom?: boolean; flipped?: boolean } | undefined) {
  if (!use) return ''
  const words = [`${figure(use.gain_db ?? 0, 0)} dB`]
  if (use.pad) words.push('pad')
  if (use.phantom) words.push('48 V')
  if (use.flipped) words.push('turned')
  return words.join(', ')
}
