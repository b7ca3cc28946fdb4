"""The strokes of several takes lined up with each other: together they show what is meant to be played."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.median import median
from fatsignal.core.takes.notes import TakeAnalysis
from fatsignal.core.takes.windows import Window

# Strokes of several takes that lie this close together are the same one.
_TOGETHER_S = 0.075
# A phrase's first stroke may come a little before its first beat.
_EARLY_S = 0.06
# With fewer takes there is nothing to compare with.
FEWEST_TAKES = 3
# A stroke that so many takes have is meant; one that most takes have only faintly may as well be a finger on its way:
# nobody lacks it, and it has no exact place.
MOST_SHARE, SURE_CLEARNESS = 0.6, 1.1


@dataclass(frozen=True, slots=True)
class Performance:
    """A take as it lies on the time line."""

    playing: TakeAnalysis
    from_frame: int

    def at(self, stroke: int) -> int:
        """Where a stroke lies on the time line."""
        return int(self.playing.frames[stroke]) + self.from_frame

    def strokes_in(self, span: Window) -> NDArray[np.int64]:
        """Indices of the strokes that begin within a span of the session."""
        at = self.playing.frames + self.from_frame
        return np.flatnonzero((at >= span.from_frame) & (at < span.to_frame))


@dataclass(frozen=True, slots=True)
class Consensus:
    """What most takes play: places of strokes, and which stroke of each take is which, -1 where it has none.

    `strokes` has shape (takes, places).
    """

    frames: Samples
    strokes: NDArray[np.int64]
    share: Samples


def line_up(takes: Sequence[Performance], span: Window, *, rate_hz: int) -> Consensus:
    """Find the strokes that the takes have in common."""
    early = round(_EARLY_S * rate_hz)
    span = Window(span.from_frame - early, span.to_frame - early)
    mine = [take.strokes_in(span) for take in takes]
    at = [take.playing.frames[each] + take.from_frame for take, each in zip(takes, mine, strict=True)]
    places = _clusters(np.sort(np.concatenate(at)) if at else np.zeros(0), round(_TOGETHER_S * rate_hz))
    strokes = np.full((len(takes), len(places)), -1, dtype=np.int64)
    for take, (indices, frames) in enumerate(zip(mine, at, strict=True)):
        for index, frame in zip(indices, frames, strict=True):
            if not len(places):
                break
            nearest = int(np.argmin(np.abs(places - frame)))
            held = strokes[take, nearest]
            if abs(places[nearest] - frame) > _TOGETHER_S * rate_hz:
                continue
            before = None if held < 0 else takes[take].playing.frames[held] + takes[take].from_frame
            if before is None or abs(frame - places[nearest]) < abs(before - places[nearest]):
                strokes[take, nearest] = index
    share = (strokes >= 0).mean(axis=0) if len(takes) else np.zeros(0)
    return Consensus(_medians(takes, strokes, places), strokes, share)


def _clusters(at: Samples, reach: int) -> Samples:
    """Middles of the groups that sorted places form: where they stand densest, and no nearer to each other."""
    if not len(at):
        return np.zeros(0)
    counts = np.searchsorted(at, at + reach // 2, side="right") - np.searchsorted(at, at - reach // 2)
    middles: list[float] = []
    taken = np.zeros(len(at), dtype=bool)
    for place in np.argsort(-counts, kind="stable"):
        if not taken[place]:
            middles.append(median(at[np.abs(at - at[place]) <= reach // 2]))
            taken |= np.abs(at - middles[-1]) < reach
    return np.sort(np.array(middles))


def _medians(takes: Sequence[Performance], strokes: NDArray[np.int64], places: Samples) -> Samples:
    at = np.full(strokes.shape, np.nan)
    for index, take in enumerate(takes):
        there = strokes[index] >= 0
        at[index, there] = take.playing.frames[strokes[index, there]] + take.from_frame
    return np.array(
        [
            median(at[strokes[:, place] >= 0, place]) if (strokes[:, place] >= 0).any() else places[place]
            for place in range(len(places))
        ]
    )
