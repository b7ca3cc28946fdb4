import type { BlindTest } from '../api/client'
import { type KeyAct, useKeys } from '../shell/useKeys'
import { Button } from '../ui/Button'
import { figure } from '../ui/format'

/** Sounds under letters at equal loudness: each is heard, one is chosen, the letters are dealt anew; at the end the tally. */
export function BlindBench({
  test,
  heard,
  nameOf,
  onHear,
  onChoose,
  onReveal,
  onAgain,
  onLeave,
}: {
  test: BlindTest
  /** What sounds now. */
  heard: string | null
  nameOf: (sound: string) => string
  onHear: (sound: string) => void
  onChoose: (letter: string) => void
  onReveal: () => void
  onAgain: () => void
  onLeave: () => void
}) {
  const place = heard ? test.dealt.indexOf(heard) : -1
  const keys: KeyAct[] = test.revealed
    ? []
    : [
        ...test.letters.map((letter, index) => ({
          key: String(index + 1),
          does: `hear ${letter}`,
          act: () => onHear(test.dealt[index]!),
        })),
        { key: 'Enter', does: 'choose what is heard', act: () => place >= 0 && onChoose(test.letters[place]!) },
        { key: 'v', does: 'reveal', act: onReveal },
      ]
  useKeys([...keys, { key: 'Escape', does: 'leave the blind test', act: onLeave }], 'act')
  return (
    <section aria-label="Blind test" className="flex h-full flex-col items-center justify-center gap-8 px-10">
      {test.revealed ? (
        <Told test={test} nameOf={nameOf} />
      ) : (
        <>
          <h2 className="text-[30px]">Which do you like best?</h2>
          <div className="flex flex-wrap justify-center gap-4">
            {test.letters.map((letter, index) => (
              <button
                key={letter}
                aria-label={`Hear ${letter}`}
                aria-pressed={index === place}
                onClick={() => onHear(test.dealt[index]!)}
                className={`flex h-36 w-32 flex-col items-center justify-center gap-2 border-2 ${index === place ? 'border-ink bg-ink text-paper' : 'border-rule bg-sheet hover:border-ink'}`}
              >
                <span className="font-name text-[64px] leading-none font-extrabold">{letter}</span>
                <kbd className="font-text text-[14px]">key {index + 1}</kbd>
              </button>
            ))}
          </div>
          <p className="text-pencil">
            Round {test.round + 1}.{' '}
            {test.decided < test.enough
              ? `After ${test.enough} rounds it can tell something.`
              : 'It can tell something now.'}{' '}
            The letters are dealt anew each time.
          </p>
        </>
      )}
      <div className="flex gap-3">
        {test.revealed ? (
          <Button main onClick={onAgain}>
            Begin another
          </Button>
        ) : (
          <>
            <Button main disabled={place < 0} onClick={() => onChoose(test.letters[place]!)}>
              {place < 0 ? 'Hear one first' : `Choose ${test.letters[place]}`} · Enter
            </Button>
            <Button onClick={onReveal} disabled={test.decided === 0}>
              Reveal · V
            </Button>
          </>
        )}
        <Button onClick={onLeave}>Leave · Escape</Button>
      </div>
    </section>
  )
}

function Told({ test, nameOf }: { test: BlindTest; nameOf: (sound: string) => string }) {
  const most = Math.max(1, ...test.counts.map(({ count }) => count))
  return (
    <>
      <h2 className="max-w-3xl text-center text-[30px] first-letter:uppercase">{test.says}</h2>
      <ol className="grid w-full max-w-xl grid-cols-[auto_1fr_auto] items-center gap-x-4 gap-y-2.5">
        {test.counts.map(({ sound, count }) => (
          <li key={sound} className="contents">
            <span className={sound === test.favourite ? 'font-bold' : ''}>{nameOf(sound)}</span>
            <span className="h-4 bg-wash">
              <span className="block h-4 bg-ink" style={{ width: `${(100 * count) / most}%` }} />
            </span>
            <span className="text-right font-semibold">{count}</span>
          </li>
        ))}
      </ol>
      {test.chance !== null && (
        <p className="text-pencil">
          Exact binomial: chance alone {test.chance < 0.005 ? 'under 1' : figure(100 * test.chance, 0)} in 100.
        </p>
      )}
    </>
  )
}
