import { Download } from 'lucide-react'
import type { Parcel } from '../api/client'
import { bytes, clock, count } from '../ui/format'

/** The ZIPs of a session: what is being made, what can be saved, what failed. */
export function Parcels({ parcels, onStop }: { parcels: Parcel[]; onStop: (parcel: Parcel) => void }) {
  return (
    <ul aria-label="ZIPs" className="mb-3">
      {parcels.map((parcel) => (
        <li key={parcel.id} className="border-t border-rule py-2 first:border-t-0">
          <div className="flex items-baseline gap-3 text-[13.5px]">
            <span className="min-w-0 grow">
              {count(parcel.files, 'file')} <span className="text-pencil">{parcel.form}</span>
            </span>
            <State parcel={parcel} onStop={onStop} />
          </div>
          {parcel.state === 'failed' && (
            <p role="alert" className="pt-0.5 text-[13.5px]">
              {parcel.problem}
            </p>
          )}
        </li>
      ))}
    </ul>
  )
}

function State({ parcel, onStop }: { parcel: Parcel; onStop: (parcel: Parcel) => void }) {
  switch (parcel.state) {
    case 'done':
      return (
        <a
          href={parcel.url}
          download
          className="flex shrink-0 items-baseline gap-1.5 underline decoration-rule underline-offset-4"
          aria-label={`Save the ZIP of ${clock(parcel.asked_at)}`}
        >
          <Download size={13} className="self-center" />
          {bytes(parcel.bytes ?? 0)}, {clock(parcel.asked_at)}
        </a>
      )
    case 'waiting':
    case 'working':
      return (
        <>
          <span role="status" className="shrink-0 tabular-nums">
            {parcel.state === 'waiting' ? 'waits' : `${Math.floor(100 * parcel.progress)} %`}
          </span>
          <button className="shrink-0 underline underline-offset-4" onClick={() => onStop(parcel)}>
            Stop
          </button>
        </>
      )
    case 'stopped':
      return <span className="shrink-0 text-pencil">stopped</span>
    case 'failed':
      return <span className="shrink-0 text-pencil">not made</span>
  }
}
