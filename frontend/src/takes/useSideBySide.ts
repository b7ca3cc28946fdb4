import { useEffect, useState } from 'react'
import { reportErrors } from '../api/acts'
import type { ComparedTakes, Phrase, Take } from '../api/client'
import { notice, useLive } from '../api/live'
import { useChoice, usePlayer } from '../desk/Choice'
import { type KeyAct, useKeys } from '../shell/useKeys'
import type { PlayerSound } from '../sound/player'
import { type HeardAs, compareTakes } from './compared'

export const MOST_BESIDE = 9

interface Beside {
  phrase: Phrase
  ids: string[]
  as: HeardAs
  compared: ComparedTakes
  sounds: PlayerSound[]
}

/** Takes of one phrase held against each other: they run together, and one of them is heard, as loud as the others. */
export function useSideBySide(rows: Take[], phrases: Phrase[]) {
  const { take: chosen, chooseTake, player, setHeardBeside } = useChoice()
  const rolling = useLive((live) => live.rolling)
  const { playing, loading, heard } = usePlayer()
  const [beside, setBeside] = useState<Beside | null>(null)
  const [waiting, setWaiting] = useState(false)

  async function open(phrase: Phrase, first: string | undefined, as: HeardAs = beside?.as ?? null) {
    const ids = chooseBeside(rows, phrase, first)
    const begin = first ?? ids[0]
    if (!begin) return notice('no take plays this phrase yet')
    setWaiting(true)
    await reportErrors(async () => {
      const found = await compareTakes(ids, [phrase.from_frame, phrase.to_frame], as)
      setBeside({ phrase, ids, as, ...found })
      chooseTake(begin, { goesOn: true })
      await start(found.sounds, begin, phrase)
    })
    setWaiting(false)
  }

  async function start(sounds: PlayerSound[], id: string, { from_frame, to_frame }: Phrase) {
    await player.play(sounds, id, from_frame, [from_frame, to_frame])
  }

  function hear(id: string) {
    if (!beside) return
    chooseTake(id, { goesOn: true })
    if (player.state.playing) player.choose(id)
    else void start(beside.sounds, id, beside.phrase)
  }

  function close() {
    player.stop()
    setBeside(null)
  }

  /** The phrase under the playhead, else the first. */
  function openHere() {
    const at = player.frameNow()
    const phrase = phrases.find((entry) => at >= entry.from_frame && at < entry.to_frame) ?? phrases[0]
    if (phrase) void open(phrase, rows.some((row) => row.id === chosen?.id) ? chosen?.id : undefined)
  }

  // What is heard is told at the deck.
  const sound = beside?.compared.sounds.find((entry) => entry.take_id === heard)
  const said = beside && sound ? { name: `take ${sound.number}`, detail: asSaid(sound.channel, beside.as) } : null
  const saidAs = said && `${said.name} ${said.detail}`
  useEffect(() => {
    setHeardBeside(said)
    return () => setHeardBeside(null)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [saidAs])

  const left = Boolean(rolling) || !phrases.some((phrase) => phrase.from_frame === beside?.phrase.from_frame)
  if (beside && left) setBeside(null)

  const keys: KeyAct[] = beside
    ? [
        ...beside.ids.map((id, index) => ({
          key: String(index + 1),
          does: `hear take ${rows.find((row) => row.id === id)?.number} at this phrase`,
          act: () => hear(id),
        })),
        {
          key: ' ',
          does: 'play the phrase, and stop',
          act: () => (playing || loading ? player.stop() : hear(chosen!.id)),
        },
        {
          key: 'd',
          does: 'hear the DI, and back',
          act: () => void open(beside.phrase, chosen?.id, isDry(beside.as) ? null : { channel: 'di' }),
        },
        { key: 'v', does: 'leave the takes side by side', act: close },
        { key: 'Escape', does: 'leave the takes side by side', act: close },
      ]
    : []
  useKeys([{ key: 'v', does: 'hear takes of a phrase side by side', act: openHere }])
  useKeys(keys, 'act')

  return {
    beside,
    waiting,
    heard: beside && playing ? heard : null,
    open,
    openHere,
    hear,
    setAs: (as: HeardAs) => beside && void open(beside.phrase, chosen?.id, as),
    close,
  }
}

export type SideBySide = ReturnType<typeof useSideBySide>

/** Those that play the phrase: the given one in any case, the starred, then the newest; never others struck out. */
export function chooseBeside(rows: Take[], phrase: Phrase, first: string | undefined): string[] {
  const rank = (take: Take) => (take.id === first ? 0 : take.rating === 'starred' ? 1 : 2)
  return rows
    .filter((row) => row.id === first || (row.rating !== 'struck' && plays(row, phrase)))
    .sort((a, b) => rank(a) - rank(b) || b.number - a.number)
    .slice(0, MOST_BESIDE)
    .sort((a, b) => a.number - b.number)
    .map((row) => row.id)
}

const plays = (take: Take, phrase: Phrase) =>
  take.windows.some((window) => window.from_frame < phrase.to_frame && window.to_frame > phrase.from_frame)

const isDry = (as: HeardAs) => as !== null && 'channel' in as && as.channel === 'di'

function asSaid(channel: string, as: HeardAs) {
  return as && 'tone' in as ? `${channel} through a tone` : channel
}
