import { reportErrors } from '../api/acts'
import { type Part, type PrintSettings, type Session, type Tone, answered, api } from '../api/client'
import { queryClient, refreshPrints, useHeardThrough, usePrinting } from '../api/queries'
import { Button } from '../ui/Button'
import { Select } from '../ui/Select'
import { count, lasting } from '../ui/format'
import type { usePrintPlan } from './usePrintPlan'

const OWN = "the tone's own"
const DEPTHS = { '24': '24 bit', '16': '16 bit', '32f': '32 bit float' } as const
const TAILS = [0, 2, 5, 10, 30]
const RATES = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000] as const
const AS_RECORDED = 'as recorded'

type Rate = NonNullable<PrintSettings['rate_hz']>
const kilohertz = (rateHz: number) => rateHz / 1000

/** Settings of the next prints, what is left of the queue, and what the part is heard by in the song. */
export function PrintHead({
  session,
  part,
  miked,
  plan,
  tones,
  busy,
  onPrint,
}: {
  session: Session
  part: Part | undefined
  /** Whether any of its takes has a microphone. */
  miked: boolean
  plan: ReturnType<typeof usePrintPlan>
  /** By which the part may be heard. */
  tones: Tone[]
  busy: boolean
  onPrint: () => void
}) {
  const { settings, marked } = plan.plan
  const recorded = miked ? 'its miked amp' : 'its DI'
  const left = usePrinting(session.id, busy).data
  const heard = useHeardThrough(session.id).data?.find((each) => each.part_id === part?.id)

  const hearBy = (toneId: string | null) =>
    part &&
    reportErrors(async () => {
      await answered(
        api.PUT('/api/parts/{part_id}/heard-through', {
          params: { path: { part_id: part.id } },
          body: { tone_id: toneId },
        }),
      )
      for (const key of ['heard-through', 'hand-over']) void queryClient.invalidateQueries({ queryKey: [key] })
    })

  const stopAll = () =>
    reportErrors(async () => {
      await answered(
        api.DELETE('/api/sessions/{session_id}/printing', { params: { path: { session_id: session.id } } }),
      )
      refreshPrints()
    })

  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1 pt-1 pb-2 text-[13.5px]">
      <Setting name="oversampling">
        <Select
          label="oversampling"
          value={String(settings.oversample ?? OWN)}
          options={[OWN, '1', '2', '4', '8']}
          said={(each) => (each === OWN ? OWN : `${each}×`)}
          onChange={(each) => plan.set({ oversample: each === OWN ? null : (Number(each) as 1 | 2 | 4 | 8) })}
        />
      </Setting>
      <Setting name="depth">
        <Select
          label="depth"
          value={settings.depth ?? '24'}
          options={['24', '16', '32f'] as const}
          said={(each) => DEPTHS[each]}
          onChange={(depth) => plan.set({ depth })}
        />
      </Setting>
      <Setting name="rate">
        <Select
          label="rate"
          value={settings.rate_hz ?? session.rate_hz}
          options={RATES.includes(session.rate_hz as Rate) ? RATES : [session.rate_hz, ...RATES]}
          said={(each) => {
            const own = kilohertz(session.rate_hz)
            return each === session.rate_hz ? `${own} kHz` : `${own} and ${kilohertz(each)} kHz`
          }}
          onChange={(each) => plan.set({ rate_hz: each === session.rate_hz ? null : (each as Rate) })}
        />
      </Setting>
      <Setting name="rings on">
        <Select
          label="rings on after its end"
          value={settings.tail_s ?? 0}
          options={TAILS}
          said={(each) => (each ? `up to ${each} s` : 'not at all')}
          onChange={(tail_s) => plan.set({ tail_s })}
        />
      </Setting>
      {part && (
        <Setting name={`${part.name} is heard by`}>
          <Select
            label={`${part.name} is heard by`}
            value={heard?.tone_id ?? AS_RECORDED}
            options={[AS_RECORDED, ...tones.map((tone) => tone.tone_id)]}
            said={(id) =>
              id === AS_RECORDED
                ? recorded
                : (tones.find((tone) => tone.tone_id === id)?.name ?? heard?.tone_name ?? '')
            }
            onChange={(id) => void hearBy(id === AS_RECORDED ? null : id)}
          />
          {heard && heard.missing > 0 && (
            <span className="text-mic">
              {count(heard.missing, 'take')} not printed yet: still by {recorded}
            </span>
          )}
        </Setting>
      )}
      <span className="ml-auto flex items-center gap-3">
        {busy && left && (
          <span role="status" className="text-pencil">
            {left.rendering} printing, {left.waiting} waiting
            {left.left_s >= 1 && ` · ${lasting(left.left_s)} left`}
          </span>
        )}
        {busy && <Button onClick={() => void stopAll()}>Stop all</Button>}
        <Button main={marked.length > 0} disabled={!marked.length} onClick={onPrint}>
          {marked.length ? `Print ${marked.length} marked` : 'Nothing marked'}
        </Button>
      </span>
    </div>
  )
}

function Setting({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <span className="flex items-center gap-2">
      <span className="text-pencil">{name}</span>
      {children}
    </span>
  )
}
