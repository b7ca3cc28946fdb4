import { useSearchParams } from 'react-router'
import { reportErrors } from '../api/acts'
import type { Part, RigView, Trial } from '../api/client'
import { useLive } from '../api/live'
import { queryClient, useChoices } from '../api/queries'
import { BlindBench } from '../blind/BlindBench'
import { useBlindTest } from '../blind/useBlindTest'
import { useChoice } from '../desk/Choice'
import { useStationActs } from '../desk/DeckActs'
import { useOpenSession } from '../desk/OpenSession'
import { useRigActs } from '../rig/useRigActs'
import { NoPart } from '../shell/NoPart'
import { useKeys } from '../shell/useKeys'
import { useWindowHeight } from '../shell/useWindowHeight'
import { UndoLinks } from '../shell/UndoLinks'
import { ConfirmDialog } from '../ui/ConfirmDialog'
import { Select } from '../ui/Select'
import { ImagePanel } from './ImagePanel'
import { MicFields } from './MicFields'
import { MicPlan } from './MicPlan'
import { PairPanel } from './PairPanel'
import { SoundPanel } from './SoundPanel'
import { TrialList } from './TrialList'
import { usePlan } from './usePlan'
import { pairWith } from './alignment'
import { useTrials } from './useTrials'

/** Where the microphones stand: drawn to scale, tried, heard against each other, one placement chosen. */
export function PlacementStation() {
  const { part } = useOpenSession()
  if (!part) return <NoPart />
  return <Placement key={part.id} part={part} />
}

// In a window of 800 pixels; of what is more, so much goes to each.
const PLAN_HEIGHT = 236
const CHART_HEIGHT = 254
const TO_PLAN = 0.55
const TO_CHART = 0.75

function Placement({ part }: { part: Part }) {
  const acts = useRigActs(part)
  const choices = useChoices().data
  const trials = useTrials(part)
  const blind = useBlindTest(part.id, 'trial')
  const { player } = useChoice()
  const rolling = useLive((live) => live.rolling)
  const { rig, plan, draw } = usePlan(part.id, acts.view?.part_id === part.id ? acts.view.rig : undefined)
  const windowHeight = useWindowHeight()
  const [shown] = useSearchParams()
  const mic = shown.get('mic')
  const setMic = (name: string) => trials.show({ mic: name })
  const bench = shown.get('blind') !== null && blind.test !== null
  const mics = rig?.mics ?? []
  const chosen = mics.find((entry) => entry.name === mic)?.name ?? mics[0]?.name

  useStationActs({
    record: 'Trial',
    roll: trials.record,
    binAndRoll: trials.binAndRecord,
    playOrStop: trials.playOrStop,
  })

  function openBench() {
    const ids = trials.beside.map((entry) => entry.id)
    const goesOn = blind.test && !blind.test.revealed && blind.test.dealt.every((id) => ids.includes(id))
    void (goesOn ? Promise.resolve() : blind.begin(ids)).then(() => trials.show({ blind: 'yes' }))
  }
  const leaveBench = () => trials.show({ blind: null })

  const step = (by: number) => {
    const rows = trials.beside
    const next = rows[rows.findIndex((row) => row.id === trials.meant()?.id) + by]
    if (next) trials.show({ trial: next.id })
  }
  const onMeant = (act: (trial: Trial) => void) => {
    const trial = trials.meant()
    if (trial) act(trial)
  }
  useKeys([
    ...trials.beside.map((entry, index) => ({
      key: String(index + 1),
      does: `hear trial ${entry.number}`,
      act: () => trials.hear(entry.id),
    })),
    { key: 'ArrowDown', does: 'the trial below', act: () => step(1) },
    { key: 'ArrowUp', does: 'the trial above', act: () => step(-1) },
    { key: 'Enter', does: 'choose the placement of the trial', act: () => onMeant(trials.choose) },
    { key: 'Delete', does: 'put the trial into the bin', act: () => onMeant((trial) => void trials.bin(trial)) },
    { key: 'd', does: 'hear the DI, and back', act: () => trials.show({ of: trials.of === 'DI' ? null : 'DI' }) },
    { key: 'b', does: 'blind test', act: () => (trials.beside.length > 1 ? openBench() : undefined) },
    {
      key: 'g',
      does: 'grasp the next microphone; arrow keys move it, comma and full stop turn it',
      act: () => {
        const at = mics.findIndex((entry) => entry.name === chosen)
        const held = document.activeElement?.getAttribute('aria-label')?.includes('arrow keys move it')
        const next = mics[held ? (at + 1) % mics.length : Math.max(0, at)]
        if (!next) return
        setMic(next.name)
        document.querySelector<SVGGElement>(`[aria-label^="${next.name} from above"]`)?.focus()
      },
    },
  ])

  if (bench && blind.test)
    return (
      <BlindBench
        test={blind.test}
        heard={trials.playing}
        nameOf={(id) => {
          const found = trials.trials.find((entry) => entry.id === id)
          return found ? `trial ${found.number}: ${found.note || found.words}` : 'a trial in the bin'
        }}
        onHear={trials.hear}
        onChoose={(letter) => {
          // What sounds on would tell its new letter.
          player.stop()
          void blind.choose(letter)
        }}
        onReveal={() => void blind.reveal()}
        onAgain={() => void blind.begin(trials.beside.map((entry) => entry.id))}
        onLeave={leaveBench}
      />
    )
  if (!rig || !plan || !choices)
    return (
      <p role="status" className="p-8 text-pencil">
        Drawing the plan…
      </p>
    )
  const more = Math.max(0, windowHeight - 800)
  const newest = () => queryClient.getQueryData<RigView>(['rig', part.id])?.rig ?? rig
  const report = trials.compared?.sounds.find((sound) => sound.trial_id === trials.trial?.id)?.report
  const ghosts = trials.trials
    .filter((entry) => entry.sounding === plan.front.name && entry.id !== trials.placement?.same_as)
    .slice(0, 8)
    .flatMap((entry) => entry.ghosts)
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,9fr)_minmax(0,10fr)] gap-x-6 pr-5 pb-3 pl-6">
      <div className="flex min-h-0 min-w-0 flex-col gap-2 pt-1">
        <section aria-label="Plan" className="border border-rule bg-sheet px-3.5 pt-2 pb-2.5">
          <div className="flex items-baseline gap-3 whitespace-nowrap">
            <h2 className="text-[18px]">{part.name}</h2>
            {rig.amp && (
              <Select
                label="Before"
                value={plan.front.name}
                options={choices.speakers.map((entry) => entry.name)}
                said={(name) => choices.speakers.find((entry) => entry.name === name)?.title ?? name}
                onChange={(speaker) => {
                  const now = newest()
                  if (now.amp) void acts.setRig({ ...now, amp: { ...now.amp, speaker } })
                }}
              />
            )}
            <p className="ml-auto min-w-0 truncate text-[13.5px] text-pencil first-letter:uppercase">
              {plan.says[0] ?? pairWith(plan.pairs, chosen)?.says ?? ''}
            </p>
          </div>
          <MicPlan
            plan={plan}
            rig={rig}
            newest={newest}
            ghosts={ghosts}
            chosen={chosen}
            height={Math.round(PLAN_HEIGHT + TO_PLAN * more)}
            onChoose={setMic}
            onDraw={draw}
            // Known to be under way: a trial that is recorded right after waits for it.
            onKeep={(next) => void reportErrors(() => acts.setRig(next))}
          />
          <MicFields
            partId={part.id}
            rig={rig}
            newest={newest}
            choices={choices}
            chosen={chosen}
            onChoose={setMic}
            onKeep={acts.setRig}
          />
        </section>
        <TrialList trials={trials} onBlind={openBench} />
      </div>
      <div className="flex min-h-0 min-w-0 flex-col gap-2.5 pt-1">
        <SoundPanel plan={plan} trials={trials} mic={chosen} height={Math.round(CHART_HEIGHT + TO_CHART * more)} />
        {trials.trial && report ? (
          <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,11fr)_minmax(0,10fr)] gap-x-2.5">
            <section aria-label="Two microphones" className="flex min-h-0 flex-col border border-rule bg-sheet">
              <PairPanel trial={trials.trial} report={report} trials={trials} chosen={chosen} />
            </section>
            <section aria-label="Image" className="flex min-h-0 flex-col border border-rule bg-sheet">
              <ImagePanel trial={trials.trial} report={report} trials={trials} />
            </section>
          </div>
        ) : (
          <p className="border border-dashed border-rule px-4 py-5 text-pencil">
            {rolling
              ? 'Recording…'
              : trials.trial
                ? 'Measuring…'
                : 'Two trials, and the ear decides: record one, move a microphone, record the next.'}
          </p>
        )}
        <UndoLinks className="max-w-full" />
      </div>
      <ConfirmDialog asked={acts.asked} onClose={acts.dismiss} />
    </div>
  )
}
