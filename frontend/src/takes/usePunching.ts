import { useState } from 'react'
import type { SheetLine } from '../api/client'
import { type FrameRange, notice } from '../api/live'
import { useChoice } from '../desk/Choice'
import { useOpenSession } from '../desk/OpenSession'
import { useRolling } from '../desk/Rolling'
import { barBeat } from '../ui/format'

/** Ranges set by hand: dragged over the sheet, taken from a section, or pressed in and out while listening. */
export function usePunching() {
  const { session } = useOpenSession()
  const { player, line } = useChoice()
  const rolling = useRolling()
  const { settings, setSettings } = rolling
  const [pressedIn, setPressedIn] = useState<number | null>(null)

  function add(window: FrameRange) {
    if (settings) setSettings({ way: 'windows', windows: [...settings.windows, window] })
  }

  /** A range of bars of the sheet: the loop where it loops, else one more window. */
  function setRange(line: SheetLine, window: FrameRange) {
    if (settings?.way !== 'loop') return add(window)
    const bars = line.bars.filter((bar) => bar.from_frame < window.to_frame && bar.to_frame > window.from_frame)
    if (bars.length) setSettings({ loop_bar: bars[0]!.number, loop_bars: bars.length })
  }

  function replace(index: number, window: FrameRange | null) {
    if (!settings) return
    const windows = settings.windows.filter((_, place) => place !== index)
    setSettings({ windows: window ? [...windows, window] : windows })
  }

  /** W where nothing rolls: while listening it marks a window; at rest the section becomes one. */
  function press() {
    if (player.state.playing) {
      const now = player.frameNow()
      if (pressedIn === null || pressedIn >= now) {
        setPressedIn(now)
        notice(`window opens at ${barBeat(now, session)}: W closes it`)
      } else {
        setPressedIn(null)
        add({ from_frame: pressedIn, to_frame: now })
      }
      return
    }
    if (line) add({ from_frame: line.from_frame, to_frame: line.to_frame })
  }

  return { settings, setRange, replace, press }
}
