import type { Click, Session } from '../api/client'
import { useChoice } from '../desk/Choice'
import { Button } from '../ui/Button'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Stepper } from '../ui/Stepper'

const SOUNDS = ['tone', 'wood', 'tick'] as const
const HEARD_BARS = 2

/** The click: a level and a sound for accent, beat and subdivision; and how it counts in. */
export function ClickPanel({ session, onChange }: { session: Session; onChange: (click: Click) => void }) {
  const { player } = useChoice()
  const click = session.click

  async function hear() {
    const first = session.beat_bars.indexOf(1)
    const end = session.beat_bars.indexOf(1 + HEARD_BARS)
    const from = session.beat_frames[first]!
    const to = session.beat_frames[end === -1 ? session.beat_frames.length - 1 : end]!
    // The settings are in the address: another click is another sound.
    const how = encodeURIComponent(JSON.stringify(click))
    await player.once(`/api/sessions/${session.id}/click.wav?from_frame=${from}&to_frame=${to}&as=${how}`, () => 0)
  }

  return (
    <section aria-label="Click" className="border border-rule bg-sheet px-4 pt-2.5 pb-3">
      <div className="flex items-baseline">
        <h2 className="text-[16px]">Click</h2>
        <Button className="ml-auto py-1" onClick={() => void hear()}>
          Hear it
        </Button>
      </div>
      {(['accent', 'beat', 'sub'] as const).map((kind) => (
        <div key={kind} className="mt-1 flex items-center gap-2">
          <Slider
            short
            label={{ accent: 'Accent', beat: 'Beat', sub: 'Subdivision' }[kind]}
            value={click[`${kind}_dbfs`]}
            from={-60}
            to={0}
            unit="dB"
            onChange={(value) => onChange({ ...click, [`${kind}_dbfs`]: value })}
          />
          <Select
            label={`Sound of the ${kind}`}
            value={click[`${kind}_sound`]}
            options={SOUNDS}
            onChange={(sound) => onChange({ ...click, [`${kind}_sound`]: sound })}
          />
        </div>
      ))}
      <div className="mt-2 grid grid-cols-[92px_auto_auto_1fr] items-center gap-x-2.5 border-t border-rule pt-1.5 text-[13.5px]">
        <span className="text-pencil">Clicks a beat</span>
        <Stepper
          label="Clicks a beat"
          value={click.subdivision}
          from={1}
          to={4}
          onChange={(value) => onChange({ ...click, subdivision: value as 1 })}
        />
        <span />
        <span />
        <span className="text-pencil">Count-in bars</span>
        <Stepper
          label="Count-in before rolling"
          value={click.roll_count_in_bars}
          from={0}
          to={4}
          unit="to roll"
          onChange={(value) => onChange({ ...click, roll_count_in_bars: value })}
        />
        <Stepper
          label="Count-in before playing"
          value={click.play_count_in_bars}
          from={0}
          to={4}
          unit="to play"
          onChange={(value) => onChange({ ...click, play_count_in_bars: value })}
        />
      </div>
    </section>
  )
}
