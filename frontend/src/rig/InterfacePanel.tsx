import type { Interface, InterfaceSettings } from '../api/client'
import { Select } from '../ui/Select'
import { Slider } from '../ui/Slider'
import { Switch } from '../ui/Switch'
import type { RigActs } from './useRigActs'

const BUFFERS = [32, 64, 128, 256, 384, 512, 1024, 2048] as const

/** The interface: its buffer; and, because it is simulated, the faults that it can be given to see a check fail. */
export function InterfacePanel({ device, acts }: { device: Interface | undefined; acts: RigActs }) {
  if (!device) return null
  const { settings } = device
  const set = (changes: Partial<InterfaceSettings>) => void acts.setInterface({ ...settings, ...changes })
  return (
    <section aria-label="Interface" className="flex min-h-0 grow flex-col overflow-y-auto border-t border-rule pt-3">
      <h2 className="text-[20px] leading-tight first-letter:uppercase">{device.name}</h2>
      <p className="text-[14px] text-pencil">
        {device.inputs} inputs. Give it a fault, run a check, and see what it says.
      </p>
      <div className="mt-3 grid grid-cols-2 gap-x-10">
        <div className="flex flex-col gap-1">
          <div className="flex items-center gap-2.5">
            <span className="w-[92px] text-[13.5px] text-pencil">Buffer</span>
            <Select
              label="Buffer"
              value={settings.buffer_frames as (typeof BUFFERS)[number]}
              options={BUFFERS}
              said={(frames) => `${frames} samples`}
              onChange={(buffer_frames) => set({ buffer_frames })}
            />
            <span className="text-[13.5px] text-pencil">{device.buffer_ms.toFixed(1)} ms</span>
          </div>
          <div className="flex items-center gap-2.5">
            <span className="w-[92px] text-[13.5px] text-pencil">Clock</span>
            <Select
              label="Clock"
              value={settings.clock_hz ?? 0}
              options={[0, 44_100, 48_000, 96_000]}
              said={(hz) => (hz ? `${hz / 1000} kHz` : 'as the session')}
              onChange={(hz) => set({ clock_hz: hz || null })}
            />
          </div>
          <div className="flex items-center gap-2.5">
            <span className="w-[92px] text-[13.5px] text-pencil">Mains</span>
            <Select
              label="Mains"
              value={settings.mains_hz ?? 50}
              options={[50, 60]}
              said={(hz) => `${hz} Hz`}
              onChange={(mains_hz) => set({ mains_hz })}
            />
          </div>
          <Slider
            label="Hum"
            value={settings.hum_dbu ?? -82}
            from={-120}
            to={-20}
            unit="dBu"
            onChange={(hum_dbu) => set({ hum_dbu })}
          />
          <Slider
            label="Guitar turned"
            value={settings.guitar_turned_deg ?? 70}
            from={0}
            to={90}
            unit="°"
            onChange={(guitar_turned_deg) => set({ guitar_turned_deg })}
          />
          <Slider
            label="Ground loop"
            value={settings.ground_loop_dbu ?? -140}
            from={-140}
            to={-20}
            unit="dBu"
            onChange={(ground_loop_dbu) => set({ ground_loop_dbu })}
          />
        </div>
        <div className="flex flex-col gap-1">
          <Slider
            label="Buzz"
            value={settings.buzz_dbu ?? -140}
            from={-140}
            to={-20}
            unit="dBu"
            onChange={(buzz_dbu) => set({ buzz_dbu })}
          />
          <Slider
            label="Hiss"
            value={settings.extra_noise_dbu ?? -140}
            from={-140}
            to={-20}
            unit="dBu"
            onChange={(extra_noise_dbu) => set({ extra_noise_dbu })}
          />
          <Slider
            label="Phones leak"
            value={settings.phones_leak_db ?? -80}
            from={-80}
            to={0}
            unit="dB"
            onChange={(leak) => set({ phones_leak_db: leak <= -80 ? null : leak })}
          />
          <Slider
            label="More latency"
            value={settings.extra_latency_frames ?? 0}
            from={0}
            to={4000}
            step={10}
            unit="spl"
            onChange={(extra_latency_frames) => set({ extra_latency_frames })}
          />
          <Slider
            label="Room noise"
            value={settings.room_noise_db_spl ?? 30}
            from={0}
            to={80}
            unit="dB"
            onChange={(room_noise_db_spl) => set({ room_noise_db_spl })}
          />
          <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1.5 text-[14px]">
            <Switch
              label="Cable of input 1 broken"
              on={settings.broken_inputs?.includes(1) ?? false}
              onChange={(on) => set({ broken_inputs: on ? [1] : [] })}
            />
            <Switch
              label="Loop cable plugged"
              on={settings.loop_cable ?? true}
              onChange={(loop_cable) => set({ loop_cable })}
            />
            <Switch
              label="Vanishes after 1 s"
              on={settings.vanishes_after_s != null}
              onChange={(on) => set({ vanishes_after_s: on ? 1 : null })}
            />
            <Switch
              label="Gains can be set from here"
              on={settings.gains_can_be_set ?? true}
              onChange={(gains_can_be_set) => set({ gains_can_be_set })}
            />
            <Switch
              label="Strings out of tune"
              on={settings.string_cents?.some((cents) => cents !== 0) ?? false}
              onChange={(on) => set({ string_cents: on ? [-9, 3, -4, 0, 6, -2] : [] })}
            />
          </div>
        </div>
      </div>
    </section>
  )
}
