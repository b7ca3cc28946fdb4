import { useQuery } from '@tanstack/react-query'
import { asForm, reportErrors } from '../../api/acts'
import { type Control, type KnownResponse, answered, api } from '../../api/client'
import { queryClient } from '../../api/queries'
import { Select } from '../../ui/Select'
import { figure } from '../../ui/format'

const NONE = 'choose one'

/** The file of an impulse response: one that was brought in, or another. */
export function ResponseChoice({
  label,
  control,
  missing,
  onChoose,
}: {
  label: string
  control: Control
  missing: boolean
  onChoose: (response: KnownResponse) => void
}) {
  const known = useQuery({ queryKey: ['responses'], queryFn: () => answered(api.GET('/api/responses')) }).data ?? []
  const now = control.value === null ? NONE : String(control.value)
  const bringIn = (file: File) =>
    void reportErrors(async () => {
      const brought = await answered(api.POST('/api/responses', asForm(file, {})))
      void queryClient.invalidateQueries({ queryKey: ['responses'] })
      onChoose(brought)
    })
  const others = known.filter((each) => each.name !== now)
  return (
    <div className="flex min-w-0 flex-col items-start gap-1 px-1 py-1 text-[13px]">
      {known.length > 0 ? (
        <Select
          label={label}
          value={now}
          options={[now, ...others.map((each) => each.sha256)]}
          said={(option) => others.find((each) => each.sha256 === option)?.name ?? option}
          detail={(option) => {
            const each = others.find((one) => one.sha256 === option) ?? known.find((one) => one.name === option)
            if (!each) return ''
            return `${figure(1000 * each.sound_s, 0)} ms, ${each.channels === 1 ? 'mono' : 'stereo'}, ${figure(each.rate_hz / 1000, 1)} kHz`
          }}
          onChange={(option) => {
            const each = others.find((one) => one.sha256 === option)
            if (each) onChoose(each)
          }}
        />
      ) : (
        control.value !== null && <span className="max-w-full truncate">{now}</span>
      )}
      {missing && (
        <span role="alert" className="text-mic">
          its file is missing: bring it in again
        </span>
      )}
      <label className="cursor-pointer underline underline-offset-4 focus-within:outline-2">
        bring in a file
        <input
          type="file"
          aria-label={`${label}: bring in a file`}
          accept="audio/*,.wav,.flac,.aif,.aiff"
          className="sr-only"
          onChange={(event) => {
            const file = event.target.files?.[0]
            event.target.value = ''
            if (file) bringIn(file)
          }}
        />
      </label>
    </div>
  )
}
