import type { Tone } from '../api/client'
import { Select } from '../ui/Select'

/** A word behind which all tones are: one of them is chosen, and the word stands there again. */
export function ToneSelect({
  label,
  word = 'another tone',
  tones,
  onChoose,
}: {
  label: string
  word?: string
  tones: Tone[]
  onChoose: (id: string) => void
}) {
  const named = (id: string) => tones.find((tone) => tone.id === id)
  return (
    <Select
      label={label}
      value={word}
      options={[word, ...tones.map((tone) => tone.id)]}
      said={(id) => named(id)?.name ?? id}
      detail={(id) => named(id)?.use ?? ''}
      onChange={(id) => id !== word && onChoose(id)}
    />
  )
}
