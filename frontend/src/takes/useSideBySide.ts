import { useEffect, useState } from 'react'
import { type ComparedTakes, type Phrase, type Take, answered, api } from '../api/client'
import { notice, useLive } from '../api/live'
import { useDesk, usePlayer } from '../frame/SessionContext'
import { type KeyAct, useKeys } from '../frame/useKeys'

export const MOST_BESIDE = 9

/** A channel by its name, or the DI through a tone. */
export type HeardAs = { channel: string } | { tone: string }

interface Beside {
  phrase: Phrase
  ids: string[]
  as: HeardAs | null
  compared: ComparedTakes | null
}

/** Takes of one phrase held against each other: they run together, and one of them is heard, as loud as the others. */
export function useSideBySide(rows: Take[], phrases: Phrase[]) {
  const { take: chosen, chooseTake, player, session, setHeardBeside } = useDesk()
  const { rolling } = useLive()
  const { playing, loading, heard } = usePlayer()
  const [beside, setBeside] = useState<Beside | null>(null)
  const [waiting, setWaiting] = useState(false)

  async function open(phrase: Phrase, first: string | undefined, as: HeardAs | null = beside?.as ?? null) {
    const ids = chooseBeside(rows, phrase, first)
    const begin = first ?? ids[0]
    if (!begin) return notice('no take plays this phrase yet')
    setWaiting(true)
    try {
      const compared = await answered(
        api.GET('/api/takes/compared', {
          params: { query: { id: ids, from_frame: phrase.from_frame, to_frame: phrase.to_frame, ...as } },
        }),
      )
      setBeside({ phrase, ids, as, compared })
      chooseTake(begin, { goesOn: true })
      await start(compared, begin)
    } catch (error) {
      notice((error as Error).message)
    } finally {
      setWaiting(false)
    }
  }

  async function start(compared: ComparedTakes, id: string) {
    const sounds = compared.sounds.map((sound) => ({
      key: sound.take_id,
      url: sound.audio_url,
      gainDb: sound.gain_db,
      fromFrame: compared.from_frame,
    }))
    await player.play(sounds, id, compared.from_frame, [compared.from_frame, compared.to_frame])
  }

  function hear(id: string) {
    if (!beside?.compared) return
    chooseTake(id, { goesOn: true })
    if (player.state.playing) player.choose(id)
    else void start(beside.compared, id)
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
  const sound = beside?.compared?.sounds.find((entry) => entry.take_id === heard)
  const said = beside && sound ? { name: `take ${sound.number}`, detail: asSaid(sound.channel, beside.as) } : null
  const saidAs = said && `${said.name} ${said.detail}`
  useEffect(() => {
    setHeardBeside(said)
    return () => setHeardBeside(null)
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [saidAs])

  const left = Boolean(rolling) || !phrases.some((phrase) => phrase.from_frame === beside?.phrase.from_frame)
  useEffect(() => {
    if (beside && left) setBeside(null)
  }, [beside, left])

  const keys: KeyAct[] = beside
    ? [
        ...beside.ids.map((id, index) => ({
          key: String(index + 1),
          does: `hear take ${rows.find((row) => row.id === id)?.number} at this phrase`,
          act: () => hear(id),
        })),
        { key: ' ', does: 'play the phrase, and stop', act: () => (playing || loading ? player.stop() : hear(chosen!.id)) },
        { key: 'd', does: 'hear the DI, and back', act: () => void open(beside.phrase, chosen?.id, isDry(beside.as) ? null : { channel: 'di' }) },
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
    rateHz: session.rate_hz,
    open,
    openHere,
    hear,
    setAs: (as: HeardAs | null) => beside && void open(beside.phrase, chosen?.id, as),
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

const isDry = (as: HeardAs | null) => as !== null && 'channel' in as && as.channel === 'di'

function asSaid(channel: string, as: HeardAs | null) {
  return as && 'tone' in as ? `${channel} through a tone` : channel
}
