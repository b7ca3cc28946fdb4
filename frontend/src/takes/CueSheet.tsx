import { Plus, Trash2 } from 'lucide-react'
import { useState } from 'react'
import { reportErrors } from '../api/acts'
import { type Cue, type Strip, answered, api } from '../api/client'
import { queryClient } from '../api/queries'
import { useHearing } from '../desk/Hearing'
import { PLAIN_STRIP } from '../desk/useEars'
import { useOpenSession } from '../desk/OpenSession'
import { Button } from '../ui/Button'
import { Slider } from '../ui/Slider'
import { Dialog } from '../ui/Dialog'
import { TextField } from '../ui/TextField'

/** The listeners of the session, and what each of them hears. */
export function CueSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { session } = useOpenSession()
  const hearing = useHearing()
  const { cues, cue } = hearing
  const [naming, setNaming] = useState(false)
  if (!cues || !cue) return null

  const change = (does: () => Promise<unknown>) =>
    void reportErrors(async () => {
      await does()
      await queryClient.invalidateQueries({ queryKey: ['cues'] })
    })

  const add = (name: string) =>
    change(async () => {
      setNaming(false)
      const made = await answered(
        api.POST('/api/sessions/{session_id}/cues', { params: { path: { session_id: session.id } }, body: { name } }),
      )
      hearing.chooseCue(made.id)
    })
  const remove = () =>
    change(async () => answered(api.DELETE('/api/cues/{cue_id}', { params: { path: { cue_id: cue.id } } })))
  const strip = (key: string) => cue.mix.strips?.[key] ?? PLAIN_STRIP
  const set = (key: string, changes: Partial<Strip>) => hearing.changeStrip(key, () => changes)

  return (
    <Dialog open={open} onClose={onClose} title="Who hears what" wide>
      <div
        className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-rule"
        role="group"
        aria-label="Listeners"
      >
        {cues.cues.map((entry: Cue) => (
          <button
            key={entry.id}
            aria-pressed={entry.id === cue.id}
            onClick={() => hearing.chooseCue(entry.id)}
            className={`-mb-px border-b-[2.5px] pb-1.5 text-[16px] ${entry.id === cue.id ? 'border-mic font-bold' : 'border-transparent text-pencil'}`}
          >
            {entry.name}
          </button>
        ))}
        {naming ? (
          <span className="pb-1.5">
            <TextField label="Name of the listener" value="" onKeep={add} className="w-28 border-ink!" />
          </span>
        ) : (
          <button
            onClick={() => setNaming(true)}
            className="flex items-center gap-1 pb-1.5 text-[14px] text-pencil hover:text-ink"
          >
            <Plus size={14} aria-hidden /> another listener
          </button>
        )}
        {cues.cues.length > 1 && (
          <button
            onClick={remove}
            aria-label={`Remove ${cue.name}`}
            className="ml-auto pb-1.5 text-pencil hover:text-ink"
          >
            <Trash2 size={15} aria-hidden />
          </button>
        )}
      </div>
      <p className="mt-2 mb-3 text-[13.5px] text-pencil">
        A new listener starts as a copy of the blend; from then on its levels are its own. The click is heard and never
        goes to disk.
      </p>
      <div className="grid grid-cols-[minmax(0,1fr)_auto_auto_auto] items-center gap-x-5 gap-y-2">
        <span />
        <span className="text-[13px] text-pencil">level</span>
        <span className="text-[13px] text-pencil">left and right</span>
        <span className="text-[13px] text-pencil">off</span>
        <Line
          name="Me, on top"
          strong
          strip={cue.mix.me}
          onChange={(changes) => hearing.changeMix(({ me }) => ({ me: { ...me, ...changes } }))}
        />
        {cues.strips.map((entry) => (
          <Line
            key={entry.key}
            name={entry.name}
            detail={entry.live ? 'armed' : undefined}
            strip={strip(entry.key)}
            onChange={(changes) => set(entry.key, changes)}
          />
        ))}
        <Line
          name="Click"
          strip={cue.mix.click}
          onChange={(changes) => hearing.changeMix(({ click }) => ({ click: { ...click, ...changes } }))}
        />
      </div>
      <div className="mt-4 grid grid-cols-2 gap-x-8 border-t border-rule pt-3">
        <Slider
          label="Everything"
          digits={1}
          value={cue.mix.level_db}
          from={-40}
          to={12}
          step={0.5}
          unit="dB"
          onChange={(level_db) => hearing.changeMix(() => ({ level_db }))}
        />
        <Slider
          label="At most"
          digits={1}
          value={cue.mix.limit_dbfs}
          from={-20}
          to={0}
          step={0.5}
          unit="dB"
          onChange={(limit_dbfs) => hearing.changeMix(() => ({ limit_dbfs }))}
        />
      </div>
      <div className="mt-4 flex justify-end">
        <Button onClick={onClose}>Done</Button>
      </div>
    </Dialog>
  )
}

interface LineProps {
  name: string
  detail?: string
  strong?: boolean
  strip: Strip
  onChange: (changes: Partial<Strip>) => void
}

function Line({ name, detail, strong, strip, onChange }: LineProps) {
  return (
    <>
      <span className={`truncate text-[15px] ${strong ? 'font-bold' : ''}`}>
        {name}
        {detail && <span className="block text-[12.5px] text-pencil">{detail}</span>}
      </span>
      <Slider
        label={`Level of ${name}`}
        bare
        digits={1}
        value={strip.gain_db}
        from={-60}
        to={12}
        step={0.5}
        unit="dB"
        onChange={(gain_db) => onChange({ gain_db })}
      />
      <Slider
        label={`Place of ${name}`}
        bare
        short
        digits={2}
        value={strip.pan}
        from={-1}
        to={1}
        step={0.05}
        unit=""
        onChange={(pan) => onChange({ pan })}
      />
      <input
        type="checkbox"
        aria-label={`${name} off`}
        checked={strip.muted}
        onChange={(event) => onChange({ muted: event.target.checked })}
        className="size-4 accent-(--ink)"
      />
    </>
  )
}
