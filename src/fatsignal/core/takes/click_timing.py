"""A take against its click: every stroke early or late, and how the hand stands as a whole."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.timing.tempo import TempoMap

# Subdivisions of a beat that strokes may be meant on; the coarsest is taken that nearly all of them lie close to.
_SUBDIVISIONS = (1, 2, 3, 4, 6)
_FITS_SHARE = 0.9
_NEAR_S = 0.06


@dataclass(frozen=True, slots=True)
class StrokeTiming:
    """One stroke: `ms` after its place by the click, negative before it."""

    frame: int
    place_frame: int
    ms: float


@dataclass(frozen=True, slots=True)
class ClickTiming:
    """How far the hand lies behind the click, its standard deviation, and by how much it lags more at the end than at
    the beginning; all 0 without strokes.
    """

    mean_ms: float
    spread_ms: float
    drift_ms: float
    subdivision: int
    strokes: list[StrokeTiming]


def against_click(frames: Sequence[int] | NDArray[np.int64], tempo: TempoMap) -> ClickTiming:
    """Hold strokes, in frames of the session and in order, against the click's subdivisions.

    The subdivision is found: the coarsest of beats, halves, triplets, sixteenths and sextuplets on which nearly all
    strokes lie to 60 ms.
    """
    at = np.asarray(frames, dtype=np.int64)
    if not len(at):
        return ClickTiming(0.0, 0.0, 0.0, 1, [])
    for division in _SUBDIVISIONS:
        places = _places(at, tempo, division)
        if float(np.mean(np.abs(at - places) <= _NEAR_S * tempo.rate_hz)) >= _FITS_SHARE:
            break
    ms = 1000 * (at - places) / tempo.rate_hz
    middle = float(np.median(ms))
    spread = 1.4826 * float(np.median(np.abs(ms - middle)))
    kept = np.abs(ms - middle) <= max(4 * spread, 15.0)
    return ClickTiming(
        mean_ms=round(float(np.mean(ms[kept])), 2),
        spread_ms=round(float(np.std(ms[kept])), 2),
        drift_ms=round(_drift(at[kept], ms[kept]), 2),
        subdivision=division,
        strokes=[
            StrokeTiming(int(frame), int(place), round(float(off), 2))
            for frame, place, off in zip(at, places, ms, strict=True)
        ],
    )


def _places(at: NDArray[np.int64], tempo: TempoMap, division: int) -> NDArray[np.int64]:
    """The nearest place of a grid for each stroke."""
    found = []
    for frame in at:
        place = tempo.place_at(int(frame))
        start = tempo.beat_frame(place.bar, place.beat)
        last = place.beat >= tempo.meter_at(place.bar).beats
        end = tempo.bar_frame(place.bar + 1) if last else tempo.beat_frame(place.bar, place.beat + 1)
        step = (end - start) / division
        found.append(round(start + step * round((frame - start) / step)))
    return np.array(found, dtype=np.int64)


def _drift(at: NDArray[np.int64], ms: Samples) -> float:
    """Slope of the line through all strokes, over their whole length."""
    if len(at) < 4 or at[-1] == at[0]:
        return 0.0
    x = (at - at[0]) / (at[-1] - at[0])
    return float(np.polyfit(x, ms, 1)[0])
