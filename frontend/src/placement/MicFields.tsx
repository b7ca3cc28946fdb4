import { reportErrors } from '../api/acts'
import { type Choices, type MicOnRig, type Rig, answered, api } from '../api/client'
import { useSetUps } from '../api/queries'
import { MOST_MICS, anotherMic } from '../rig/newMic'
import { Select } from '../ui/Select'
import { Switch } from '../ui/Switch'
import { TextField } from '../ui/TextField'
import { figure, readFigure } from '../ui/format'

const NO_PAIR = 'stereo set-up'

/** The chosen microphone in figures that are typed, and what can be put before the speaker besides. */
export function MicFields({
  partId,
  rig,
  newest,
  choices,
  chosen,
  onChoose,
  onKeep,
}: {
  partId: string
  rig: Rig
  newest: () => Rig
  choices: Choices
  chosen: string | undefined
  onChoose: (name: string) => void
  onKeep: (rig: Rig) => Promise<unknown>
}) {
  const setUps = useSetUps().data ?? []
  const mics = rig.mics ?? []
  const mic = mics.find((entry) => entry.name === chosen) ?? mics[0]

  /** Onto the rig as it is by now: two values that are typed one after the other are both kept. */
  function set(changes: Partial<MicOnRig>) {
    const now = newest()
    if (!mic) return
    return onKeep({
      ...now,
      mics: now.mics?.map((entry) => (entry.name === mic.name ? { ...entry, ...changes } : entry)),
    })
  }

  /** What was typed may be in inches or feet: the server reads it. */
  const setLength = (key: 'distance_m' | 'off_centre_m' | 'height_m') => (typed: string) =>
    void reportErrors(async () => {
      const { metres } = await answered(api.GET('/api/length', { params: { query: { typed } } }))
      await set({ [key]: metres })
    })

  const setDegrees = (key: 'turned_deg' | 'tilted_deg') => (typed: string) => {
    const read = readFigure(typed.replace('°', ''))
    if (Number.isFinite(read)) void set({ [key]: read })
  }

  const putUp = (name: string) =>
    void reportErrors(async () => {
      await onKeep(
        await answered(
          api.POST('/api/parts/{part_id}/stereo-set-up', {
            params: { path: { part_id: partId } },
            body: { name, rig: newest() },
          }),
        ),
      )
    })

  function add() {
    const now = newest()
    const added = anotherMic(now, choices)
    void onKeep({ ...now, mics: [...(now.mics ?? []), added] })
    onChoose(added.name)
  }

  const kind = choices.mics.find((entry) => entry.kind === mic?.kind)
  const points = choices.speakers.find((entry) => entry.name === rig.amp?.speaker)?.points ?? []
  return (
    <div className="flex flex-col gap-1.5 text-[13.5px]">
      <div className="flex flex-wrap items-center gap-x-3.5 gap-y-1 whitespace-nowrap">
        <div role="group" aria-label="Microphones" className="flex gap-1">
          {mics.map((entry) => (
            <button
              key={entry.name}
              aria-pressed={entry.name === mic?.name}
              onClick={() => onChoose(entry.name)}
              className={`border px-2 py-0.5 ${entry.name === mic?.name ? 'border-ink bg-ink font-bold text-paper' : 'border-rule hover:border-ink'}`}
            >
              {entry.name}
            </button>
          ))}
          <button
            onClick={add}
            disabled={mics.length >= MOST_MICS}
            className="border border-rule px-2 py-0.5 hover:border-ink disabled:opacity-50"
          >
            Add a mic
          </button>
          {mic && mics.length > 1 && (
            <button
              className="px-2 py-0.5 text-pencil underline underline-offset-4 hover:text-ink"
              onClick={() => {
                const now = newest()
                void onKeep({ ...now, mics: now.mics?.filter((entry) => entry.name !== mic.name) })
              }}
            >
              Remove {mic.name}
            </button>
          )}
        </div>
        <span className="ml-auto flex items-center gap-3.5">
          <Select
            label="Stereo set-up"
            value={NO_PAIR}
            options={setUps.map((entry) => entry.name)}
            detail={(name) => {
              const found = setUps.find((entry) => entry.name === name)!
              const apart = found.apart_cm ? `${figure(found.apart_cm, 0)} cm apart, ` : ''
              return `${apart}${figure(found.angle_deg, 0)}°, ${found.patterns[0]}; hears ±${figure(found.recording_angle_deg, 0)}°`
            }}
            onChange={putUp}
          />
          <Select
            label="Room"
            value={rig.room ?? 'dry'}
            options={choices.rooms}
            said={(room) => `room: ${room}`}
            onChange={(room) => void onKeep({ ...newest(), room })}
          />
        </span>
      </div>
      {mic && (
        // Of each microphone its own: what is half typed for one is never kept for another.
        <div key={mic.name} className="flex flex-wrap justify-between gap-x-2.5 gap-y-1">
          <Typed label="Away" value={`${figure(mic.distance_m * 100)} cm`} onKeep={setLength('distance_m')} />
          <Typed
            label="Right"
            value={`${figure((mic.off_centre_m ?? 0) * 100)} cm`}
            onKeep={setLength('off_centre_m')}
          />
          <Typed label="Up" value={`${figure((mic.height_m ?? 0) * 100)} cm`} onKeep={setLength('height_m')} />
          <Typed label="Turned" value={`${figure(mic.turned_deg ?? 0, 0)}°`} onKeep={setDegrees('turned_deg')} />
          <Typed label="Tilted" value={`${figure(mic.tilted_deg ?? 0, 0)}°`} onKeep={setDegrees('tilted_deg')} />
        </div>
      )}
      {mic && (
        <div className="flex flex-wrap items-center gap-x-3.5 gap-y-1 whitespace-nowrap">
          <Select
            label="Kind of microphone"
            value={mic.kind}
            options={choices.mics.map((entry) => entry.kind)}
            said={(entry) => choices.mics.find((found) => found.kind === entry)?.title ?? entry}
            detail={(entry) => choices.mics.find((found) => found.kind === entry)!.needs}
            onChange={(next) => void set({ kind: next })}
          />
          {kind?.switchable && (
            <Select
              label="Pattern"
              value={Object.entries(choices.patterns).find(([, share]) => share === mic.pattern)?.[0] ?? kind.pattern}
              options={Object.keys(choices.patterns)}
              onChange={(pattern) => void set({ pattern: choices.patterns[pattern] })}
            />
          )}
          {points.length > 1 && (
            <Select
              label="Measured from"
              value={points.find((point) => point === mic.point) ?? points[0]!}
              options={points}
              said={(point) => `from the ${point}`}
              onChange={(point) => void set({ point })}
            />
          )}
          <Switch
            label="Flipped"
            on={mic.input?.flipped ?? false}
            onChange={(flipped) => void set({ input: { ...mic.input, flipped } })}
          />
          <Switch
            label="Pad"
            on={mic.input?.pad ?? false}
            onChange={(pad) => void set({ input: { ...mic.input, pad } })}
          />
          <Switch label="Absorber" on={mic.absorber ?? false} onChange={(absorber) => void set({ absorber })} />
        </div>
      )}
    </div>
  )
}

function Typed({ label, value, onKeep }: { label: string; value: string; onKeep: (typed: string) => void }) {
  return (
    <span className="flex min-w-0 items-baseline gap-1.5 whitespace-nowrap">
      <span className="text-pencil">{label}</span>
      <TextField label={label} value={value} onKeep={onKeep} className="w-[58px] border-rule font-semibold" />
    </span>
  )
}
