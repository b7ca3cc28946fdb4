import { useCallback } from 'react'
import type { Comp } from '../api/client'
import { BlindBench } from '../blind/BlindBench'
import { useBlindTest } from '../blind/useBlindTest'
import { useStationActs } from '../desk/DeckActs'
import { useRolling } from '../desk/Rolling'
import { useKeys } from '../shell/useKeys'
import { Button } from '../ui/Button'
import { figure } from '../ui/format'
import type { Range } from './useCompCell'
import type { useCompActs } from './useCompActs'
import { useVersionsBeside } from './useVersionsBeside'

/** Versions of a comp side by side, as loud as each other: with their names, or blind. */
export function VersionsPanel({
  partId,
  comp,
  span,
  words,
  dry,
  blind,
  acts,
  onBlind,
  onLeave,
}: {
  partId: string
  comp: Comp
  span: Range
  words: string
  dry: boolean
  blind: boolean
  acts: ReturnType<typeof useCompActs>
  onBlind: (on: boolean) => void
  onLeave: () => void
}) {
  const { compared, error, hear, stop, sounds, heard } = useVersionsBeside(partId, span, dry)
  const bench = useBlindTest(partId, 'comp')
  const { rollOrStop, binAndRoll } = useRolling()
  const versions = comp.versions.slice(0, 9)
  const current = comp.versions.find((version) => version.current)
  const first = heard ?? current?.id

  function openBench() {
    const ids = versions.map((version) => version.id)
    const goesOn = bench.test && !bench.test.revealed && bench.test.dealt.every((id) => ids.includes(id))
    void (goesOn ? Promise.resolve() : bench.begin(ids)).then(() => onBlind(true))
  }
  const playOrStop = useCallback(() => (sounds ? stop() : first && hear(first)), [sounds, stop, hear, first])
  useStationActs({ record: 'Roll', roll: rollOrStop, binAndRoll, playOrStop })
  useKeys(
    blind
      ? []
      : [
          ...versions.map((version, index) => ({
            key: String(index + 1),
            does: `hear ${version.name}`,
            act: () => hear(version.id),
          })),
          { key: 'b', does: 'blind test', act: openBench },
          { key: 'Enter', does: 'let what is heard be the comp', act: () => heard && acts.choose(heard) },
          { key: 'Escape', does: 'back to the takes', act: onLeave },
        ],
    'act',
  )

  if (blind && bench.test)
    return (
      <div className="min-h-0 grow">
        <BlindBench
          test={bench.test}
          heard={heard}
          nameOf={(id) => comp.versions.find((version) => version.id === id)?.name ?? 'a version that was removed'}
          onHear={hear}
          onChoose={(letter) => {
            // What sounds on would tell its new letter.
            stop()
            void bench.choose(letter)
          }}
          onReveal={() => void bench.reveal()}
          onAgain={() => void bench.begin(versions.map((version) => version.id))}
          onLeave={() => {
            stop()
            onBlind(false)
          }}
        />
      </div>
    )
  return (
    <section aria-label="Versions" className="flex min-h-0 grow flex-col gap-3 overflow-y-auto px-2.5 pt-3">
      <div className="flex items-baseline gap-4">
        <h3 className="text-[17px]">Versions of {words}</h3>
        <p className="text-[13px] text-pencil">as loud as each other there{dry && ', dry'}; a number key hears one</p>
        <span className="ml-auto" />
        <Button onClick={openBench} disabled={versions.length < 2}>
          Blind test <span className="text-pencil">B</span>
        </Button>
        <Button onClick={onLeave}>
          Takes <span className="text-pencil">Escape</span>
        </Button>
      </div>
      {error && <p className="text-mic">{error.message}</p>}
      <ol className="flex flex-col">
        {versions.map((version, index) => {
          const found = compared?.find((each) => each.comp_id === version.id)
          return (
            <li key={version.id} className="flex h-12 items-center gap-4 border-b border-rule">
              <button
                aria-pressed={version.id === heard}
                onClick={() => hear(version.id)}
                className={`flex h-9 min-w-64 items-center gap-3 border-2 px-3 text-left ${version.id === heard ? 'border-ink bg-ink text-paper' : 'border-rule hover:border-ink'}`}
              >
                <b className="font-name text-[17px]">{index + 1}</b>
                <span className="truncate text-[15px]">{version.name}</span>
              </button>
              <span className="w-44 text-[13.5px] text-pencil">
                {found
                  ? found.loudness_lufs === null
                    ? 'silent there'
                    : `${figure(found.loudness_lufs)} LUFS, heard at ${figure(found.loudness_lufs + found.gain_db)}`
                  : 'measuring…'}
              </span>
              {version.current ? (
                <span className="text-[14px] font-semibold">is what sounds</span>
              ) : (
                <span className="flex gap-4 text-[13.5px]">
                  <button className="underline underline-offset-4" onClick={() => acts.choose(version.id)}>
                    let it sound
                  </button>
                  <button
                    className="text-pencil underline underline-offset-4 hover:text-ink"
                    onClick={() => acts.remove(version.id)}
                  >
                    remove
                  </button>
                </span>
              )}
            </li>
          )
        })}
      </ol>
    </section>
  )
}
