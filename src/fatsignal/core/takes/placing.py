"""Where each stroke of several takes lies: by the click, and by what the other takes play."""

from collections.abc import Sequence

import numpy as np

from fatsignal.core.median import median
from fatsignal.core.takes.click_timing import against_click
from fatsignal.core.takes.placed_stroke import PlacedStroke
from fatsignal.core.takes.stroke_alignment import MOST_SHARE, Performance, line_up
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

# Fainter strokes are none to cut or move by.
_CLEAR = 1.0
# With fewer others there is no "how they play it".
_FEWEST_OTHERS = 2
# What lies farther from where it is meant is another note, not a late one.
_LATE_S = 0.08


def placed_strokes(takes: Sequence[Performance], span: Window, tempo: TempoMap) -> list[list[PlacedStroke]]:
    """The clear strokes of each take in a span of the session, in order."""
    if not takes:
        return []
    rate_hz = takes[0].playing.rate_hz
    meant = line_up(takes, span, rate_hz=rate_hz)
    found = []
    for index, take in enumerate(takes):
        strokes = take.strokes_in(span)
        strokes = strokes[take.playing.clearness[strokes] >= _CLEAR]
        at = take.playing.frames[strokes] + take.from_frame
        by_click = {each.frame: each.frame - each.place_frame for each in against_click(at, tempo).strokes}
        places = {int(stroke): place for place, stroke in enumerate(meant.strokes[index]) if stroke >= 0}
        found.append(
            [
                PlacedStroke(
                    int(frame), _near(by_click.get(int(frame)), rate_hz),
                    _near(_off_others(takes, meant.strokes[:, places[int(stroke)]], index), rate_hz)
                    if int(stroke) in places and meant.share[places[int(stroke)]] >= MOST_SHARE else None,
                )
                for stroke, frame in zip(strokes, at, strict=True)
            ]
        )  # fmt: skip
    return found


def _off_others(takes: Sequence[Performance], strokes: np.ndarray, own: int) -> int | None:
    """Frames from the middle of the others' strokes at one place to a take's own."""
    others = [takes[each].at(int(stroke)) for each, stroke in enumerate(strokes) if stroke >= 0 and each != own]
    if len(others) < _FEWEST_OTHERS:
        return None
    return round(takes[own].at(int(strokes[own])) - float(median(np.array(others))))


def _near(off: int | None, rate_hz: int) -> int | None:
    return off if off is not None and abs(off) <= _LATE_S * rate_hz else None
