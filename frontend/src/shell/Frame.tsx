import { Suspense, useEffect, useState } from 'react'
import { Outlet } from 'react-router'
import { useLive } from '../api/live'
import { AcrossTheRoom } from './AcrossTheRoom'
import { Cord } from './Cord'
import { Deck } from './Deck'
import { Keys } from './Keys'
import { Notices } from './Notices'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useDeckActs } from '../desk/DeckActs'
import { useRolling } from '../desk/Rolling'
import { useTransport } from '../desk/Transport'
import { useHistory } from '../desk/useHistory'
import { useClicksLeaveFocus, useKeys } from './useKeys'

const NIGHT_KEY = 'fatsignal.night'

/** Cord above, one station between, deck below; while rolling, the page that is read across the room. */
export function Frame() {
  const { session } = useOpenSession()
  const { comparison, hear, hearDry } = useChoice()
  const { toggleAlone, toggleMute, toggleLoop, toggleClick } = useTransport()
  const { punch } = useRolling()
  const { record, roll, binAndRoll, playOrStop } = useDeckActs()
  const { undo, redo } = useHistory(session.id)
  const rolling = useLive((live) => live.rolling)
  const said = useLive((live) => live.said)
  const [night, setNight] = useState(() => localStorage.getItem(NIGHT_KEY) === 'yes')
  const [across, setAcross] = useState(false)
  const [left, setLeft] = useState<string | null>(null)
  const [keysShown, setKeysShown] = useState(false)
  const acrossShown = rolling ? left !== rolling.roll_id : across

  useEffect(() => {
    document.documentElement.dataset.theme = night ? 'night' : 'day'
    localStorage.setItem(NIGHT_KEY, night ? 'yes' : 'no')
  }, [night])

  function toggleAcross() {
    if (rolling) setLeft(acrossShown ? rolling.roll_id : null)
    else setAcross(!across)
  }

  const sounds = comparison?.sounds ?? []
  useClicksLeaveFocus()
  // On whatever page a roll is looked at; while none is on, W is the station's.
  useKeys(rolling ? [{ key: 'w', does: 'punch in, punch out', act: punch }] : [], 'act')
  useKeys(
    [
      { key: 'PageDown', does: `${record.toLowerCase()}, and stop`, act: roll },
      { key: 'PageUp', does: 'bin the last pass and roll again', act: binAndRoll },
      { key: ' ', does: 'play, and stop', act: playOrStop },
      { key: 'd', does: 'hear it dry, and back', act: hearDry },
      { key: 'a', does: 'hear it alone, or among the other parts', act: toggleAlone },
      { key: 'm', does: 'mute the part, or let it sound', act: toggleMute },
      { key: 'l', does: 'loop the take', act: toggleLoop },
      { key: 'c', does: 'click while rolling, on or off', act: toggleClick },
      { key: 'u', does: 'undo', act: () => void undo() },
      { key: 'y', does: 'redo', act: () => void redo() },
      { key: 'r', does: 'page for across the room', act: toggleAcross },
      { key: 'n', does: 'night and day', act: () => setNight(!night) },
      { key: '?', does: 'these keys', act: () => setKeysShown(!keysShown) },
      ...(acrossShown ? [{ key: 'Escape', does: 'leave this page', act: toggleAcross }] : []),
      ...sounds.slice(0, 9).map((sound, index) => ({
        key: String(index + 1),
        does: `hear ${sound.name}`,
        act: () => hear(sound.key),
      })),
    ],
    'frame',
  )

  return (
    <div className="grid h-full grid-rows-[92px_minmax(0,1fr)_76px] bg-paper text-ink">
      <p className="sr-only" aria-live="assertive">
        {said}
      </p>
      <Cord night={night} onNight={() => setNight(!night)} onKeys={() => setKeysShown(true)} />
      <main className="min-h-0 min-w-0">
        {acrossShown ? (
          <AcrossTheRoom onLeave={toggleAcross} />
        ) : (
          <Suspense fallback={null}>
            <Outlet />
          </Suspense>
        )}
      </main>
      <Deck />
      <Notices />
      <Keys open={keysShown} onClose={() => setKeysShown(false)} />
    </div>
  )
}
