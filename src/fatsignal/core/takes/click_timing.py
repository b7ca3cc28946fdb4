"""A take against its click: every stroke early or late, and how the hand stands as a whole."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.timing.tempo import TempoMap

# Subdivisions of a beat that strokes may be meant on; the coarsest is taken that nearly all of them lie close to.
_SUBDIVISIONS = (1, 2, 3, 4, 6)
_FITS_SHARE = 0.9
# Close is so near, and never more than so much of a step: on a fine grid everything is near to something.
_NEAR_S, _NEAR_SHARE = 0.06, 0.3


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
    strokes lie to 60 ms, as far as the strokes themselves speak for a finer one.
    """
    at = np.asarray(frames, dtype=np.int64)
    if not len(at):
        return ClickTiming(0.0, 0.0, 0.0, 1, [])
    division, places = _subdivision(at, tempo)
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


def _subdivision(at: NDArray[np.int64], tempo: TempoMap) -> tuple[int, NDArray[np.int64]]:
    """The subdivision that the strokes are meant on, and the place of each by it.

    From a coarse grid to a finer one only when strokes that the coarse one leaves out lie on the finer one far more
    often than by chance: strokes of a slipping hand lie anywhere.
    """
    best, places, near, _ = _fit(at, tempo, _SUBDIVISIONS[0])
    for division in _SUBDIVISIONS[1:]:
        if float(np.mean(near)) >= _FITS_SHARE:
            break
        candidate, its_places, its_near, chance = _fit(at, tempo, division)
        explained = float(np.mean(its_near[~near]))
        if np.mean(its_near) > np.mean(near) and explained >= (1 + float(np.mean(chance))) / 2:
            best, places, near = candidate, its_places, its_near
    return best, places


def _fit(
    at: NDArray[np.int64], tempo: TempoMap, division: int
) -> tuple[int, NDArray[np.int64], NDArray[np.bool_], Samples]:
    """A grid, its places, which strokes are near to them, and how likely a stroke is near by chance."""
    places, steps = _places(at, tempo, division)
    reach = np.minimum(_NEAR_S * tempo.rate_hz, _NEAR_SHARE * steps)
    return division, places, np.abs(at - places) <= reach, 2 * reach / steps


def _places(at: NDArray[np.int64], tempo: TempoMap, division: int) -> tuple[NDArray[np.int64], Samples]:
    """The nearest place of a grid for each stroke, and how many frames the grid's step has there."""
    beats = _beat_frames(tempo, tempo.bar_at(int(at.min())), tempo.bar_at(int(at.max())) + 1)
    beat = np.searchsorted(beats, at, side="right") - 1
    steps = (beats[beat + 1] - beats[beat]) / division
    places = np.rint(beats[beat] + steps * np.rint((at - beats[beat]) / steps))
    return places.astype(np.int64), steps


@lru_cache(maxsize=128)
def _beat_frames(tempo: TempoMap, from_bar: int, to_bar: int) -> NDArray[np.int64]:
    """Frames of all beats from one bar to the beginning of another, kept: exact places are dear, and often wanted."""
    return np.array([*(frame for _, _, frame in tempo.beats(from_bar, to_bar)), tempo.bar_frame(to_bar)])


def _drift(at: NDArray[np.int64], ms: Samples) -> float:
    """Slope of the line through all strokes, over their whole length."""
    if len(at) < 4 or at[-1] == at[0]:
        return 0.0
    x = (at - at[0]) / (at[-1] - at[0])
    return float(np.polyfit(x, ms, 1)[0])
