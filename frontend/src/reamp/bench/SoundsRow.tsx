import type { Bench, MeasuredBench } from '../../api/client'
import { Glyph } from '../../ui/Glyph'
import { level } from '../../ui/format'

interface SoundsRowProps {
  bench: Bench
  measured: MeasuredBench | undefined
  against: string
  onHear: (key: string) => void
  onRemove: (key: string) => void
}

/** What can be heard at this place of the loop, at one loudness: a number key each. */
export function SoundsRow({ bench, measured, against, onHear, onRemove }: SoundsRowProps) {
  return (
    <ol aria-label="Sounds that are compared" className="flex min-w-0 flex-wrap content-start gap-1.5">
      {bench.sounds.map((sound, index) => {
        const told = measured?.sounds.find((each) => each.key === sound.key)
        const heard = bench.heard === sound.key
        const byHand = bench.beside.includes(sound.key)
        return (
          <li
            key={sound.key}
            className={`flex items-stretch bg-sheet ${heard ? 'border-[2.5px] border-ink' : 'm-[1.5px] border border-rule'}`}
          >
            <button
              aria-pressed={heard}
              aria-label={`Hear ${sound.name}`}
              onClick={() => onHear(sound.key)}
              className="flex min-h-10 max-w-56 items-center gap-2 px-2 py-0.5 text-left"
            >
              <b className="w-3 font-name text-[17px]">{index < 9 ? index + 1 : ''}</b>
              <Glyph kind={glyphOf(sound.kind)} size={13} />
              <span className="min-w-0 leading-tight">
                <span className={`block truncate text-[14px] ${heard ? 'font-bold' : ''}`}>{sound.name}</span>
                <span className="block truncate text-[12px] text-pencil">
                  {sound.key === 'tone' ? 'as it is turned' : sound.key === against ? 'drawn against' : ''}
                  {sound.key === 'tone' || sound.key === against ? ' · ' : ''}
                  {told ? level(told.loudness_lufs, 'LUFS') : '…'}
                </span>
              </span>
            </button>
            {byHand && (
              <button
                aria-label={`Do not compare with ${sound.name}`}
                className="w-6 border-l border-rule text-pencil hover:text-ink"
                onClick={() => onRemove(sound.key)}
              >
                ×
              </button>
            )}
          </li>
        )
      })}
    </ol>
  )
}

const glyphOf = (kind: Bench['sounds'][number]['kind']) => (kind === 'mic' ? 'mic' : kind === 'dry' ? 'di' : 'sim')
