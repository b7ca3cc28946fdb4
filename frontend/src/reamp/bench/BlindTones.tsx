import { useState } from 'react'
import type { Bench } from '../../api/client'
import { BlindBench } from '../../blind/BlindBench'
import type { useBlindTest } from '../../blind/useBlindTest'
import { FormDialog } from '../../ui/FormDialog'
import { Switch } from '../../ui/Switch'
import type { useBenchSound } from './useBenchSound'

/** What lies on the bench under letters, at equal loudness; turning waits until it is told. */
export function BlindTones({
  bench,
  blind,
  sound,
  onLeave,
}: {
  bench: Bench
  blind: ReturnType<typeof useBlindTest>
  sound: ReturnType<typeof useBenchSound>
  onLeave: () => void
}) {
  if (!blind.test) return null
  const test = blind.test
  return (
    <BlindBench
      test={test}
      heard={sound.sounds ? bench.heard : null}
      nameOf={(key) => bench.sounds.find((each) => each.key === key)?.name ?? 'a sound that is gone'}
      onHear={(key) => void sound.hear(key).then(() => (sound.sounds ? undefined : sound.play()))}
      onChoose={(letter) => {
        // What sounds on would tell its new letter.
        void sound.stop()
        void blind.choose(letter)
      }}
      onReveal={() => void blind.reveal()}
      onAgain={() => void blind.begin(test.dealt)}
      onLeave={onLeave}
    />
  )
}

/** Which of the sounds are compared blind; at first all but the dry one. */
export function BlindDialog({
  bench,
  onBegin,
  onClose,
}: {
  bench: Bench
  onBegin: (keys: string[]) => Promise<unknown>
  onClose: () => void
}) {
  const [chosen, setChosen] = useState(() =>
    bench.sounds
      .filter((each) => each.kind !== 'dry' && (each.kind !== 'kept' || bench.changed))
      .map((each) => each.key)
      .slice(0, 9),
  )
  return (
    <FormDialog
      open
      title="Compare blind"
      main="Begin"
      onKeep={async () => {
        await onBegin(chosen)
      }}
      onClose={onClose}
    >
      <div className="flex flex-col items-start gap-2">
        {bench.sounds.map((each) => (
          <Switch
            key={each.key}
            label={each.name}
            on={chosen.includes(each.key)}
            onChange={(on) =>
              setChosen((now) =>
                bench.sounds.map(({ key }) => key).filter((key) => (key === each.key ? on : now.includes(key))),
              )
            }
          />
        ))}
      </div>
      <p className="mt-3 text-[13.5px] text-pencil">
        Each under a letter, all equally loud; the letters are dealt anew in every round.
      </p>
    </FormDialog>
  )
}
