"""Where one take goes over into another so that nobody hears it: the place, the length and the curves of a crossfade.

Both takes are looked at over all channels at once. A note that both play must be heard once: a border between its two
strokes would give it twice, or not at all. Beyond that the border lies before an attack and never in it, where it is
quiet, and where what rings in one take goes on in the other; of good places it is the first that neither clicks nor
dips (`fade_watch.py`). The curves follow from the correlation of the two sides, channel by channel, so that the sum
stays as loud as they are (`core/material/reader.crossfade`).

References
----------
.. [1] M. Fink, M. Holters, U. Zölzer, "Signal-matched power-complementary cross-fading and dry-wet mixing", DAFx 2016:
   gains that keep the power of a sum for any correlation of its two parts.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples, check_finite
from fatsignal.core.comp.fade_watch import AROUND_S, FadeWatch
from fatsignal.core.comp.pieces import REACH_S, Join
from fatsignal.core.material.channels import MEASURED_FIRST, Channel, first_of
from fatsignal.core.material.reader import LEAST_ALIKE
from fatsignal.core.timing.pluck_onsets import find_attacks
from fatsignal.errors import SignalError

# The same note of two takes lies no farther apart.
_SAME_NOTE_S = 0.08
_LENGTHS_S = (0.002, 0.005, 0.01, 0.02, 0.04, 0.08)
_STEP_S = 0.001
# An attack takes so long from its stroke on; a fade that ends so shortly before it does not touch it.
_ATTACK_S, _BEFORE_S = 0.02, 0.002
# What counts how much, in shares of the power that is heard around: a note twice or not at all, an attack that is cut,
# a note on the wished border that is still the other take's.
_NOTE_LOST, _ATTACK_CUT, _BEGINS_LATE, _FAR = 20.0, 10.0, 6.0, 0.15
# Strangers that cross within 2 ms click, over 200 ms they are two: between them are 20 to 40 ms.
_CLICKS_S, _TWO_S, _WIDE_S = 0.008, 0.2, 0.01
_USUAL_S, _UNUSUAL = 0.012, 0.01
# Of candidates that a person steps through no two are nearer.
_APART_S, _MOST = 0.008, 8
_FLOOR = 1e-6
# Over that much of the power around, what the two sides do not share may be heard (measured on simulated takes).
_HEARD = 0.7

Verdict = Literal["clean", "look"]


@dataclass(frozen=True, slots=True)
class JoinPoint:
    """A border at `frame`, counted as the samples that were given, its crossfade, and what is measured of it.

    `level_step_db` is how much louder the second side is there; `apart_db` how loud what the two do not share is
    against what is heard around.
    """

    frame: int
    join: Join
    cost: float
    level_step_db: float
    apart_db: float

    @property
    def verdict(self) -> Verdict:
        return "look" if self.join.look else "clean"


def find_joins(
    before: Mapping[Channel, Samples], after: Mapping[Channel, Samples], *, wanted: int, first: int, last: int,
    rate_hz: int,
) -> list[JoinPoint]:  # fmt: skip
    """Borders between two takes, the best first; those that follow are others to try.

    Parameters
    ----------
    before, after : arrays by channel, shape (frames,) each
        The same frames of the song in either take. A channel that only one of them has counts for nothing.
    wanted : int
        Where the border is wished for.
    first, last : int
        Both takes have sound from `first` up to `last`: no crossfade reaches beyond.

    Raises
    ------
    SignalError
        If they have no channel in common, no frame, or hold what is no number.
    """
    sides = _Sides(before, after, rate_hz)
    if last - first < 2:
        raise SignalError("the two takes have no sample in common here: let them overlap, or leave a hole")
    step, reach = max(1, round(_STEP_S * rate_hz)), round(REACH_S * rate_hz)
    tried: list[NDArray[np.float64]] = []
    for frames in {max(2, 2 * round(each * rate_hz / 2)) for each in _LENGTHS_S}:
        low, high = max(first + frames // 2, wanted - reach), min(last - frames // 2, wanted + reach)
        if low > high:
            continue
        at = np.unique(np.append(np.arange(low, high + 1, step), min(max(wanted, low), high)))
        tried.append(np.stack([sides.measure(at, frames, wanted).cost, at, np.full(len(at), frames)]))
    if not tried:
        # Beyond its reach, or shorter than any fade: the nearest border that both have.
        tried.append(np.array([[0.0], [min(max(wanted, first + 1), last - 1)], [2]]))
    candidates = np.concatenate(tried, axis=1)
    places: list[tuple[int, int]] = []
    for _, frame, frames in candidates[:, np.lexsort(candidates[::-1])].T.tolist():
        if all(abs(frame - other) >= _APART_S * rate_hz for other, _ in places):
            places.append((int(frame), int(frames)))
        if len(places) == _MOST:
            break
    points = [sides.point(*place, wanted) for place in places]
    quiet = sides.first_quiet(points, wanted)
    if quiet is None:
        return [_may_be_heard(points[0]), *points[1:]]
    return [points[quiet], *points[:quiet], *points[quiet + 1 :]]


def join_at(
    before: Mapping[Channel, Samples], after: Mapping[Channel, Samples], *, frame: int, frames: int, rate_hz: int
) -> JoinPoint:
    """The border and the crossfade that a person has set: its curves, and what is measured of it; else as above."""
    return _Sides(before, after, rate_hz).point(frame, frames, frame)


@dataclass(frozen=True, slots=True)
class _Measured:
    """Of borders at some places, shape (places,) or (channels, places)."""

    cost: Real
    alike: Real
    apart: Real
    step_db: Real
    lost: NDArray[np.bool_]
    cut: NDArray[np.bool_]


class _Sides:
    """Both takes around a border, over the channels that they share.

    Powers of both sides and of their product are summed up, so that any stretch of them is one difference.
    """

    def __init__(self, before: Mapping[Channel, Samples], after: Mapping[Channel, Samples], rate_hz: int) -> None:
        self.shared = [channel for channel in before if channel in after]
        if not self.shared:
            raise SignalError("the two takes have no channel in common: there is nothing to join")
        ours, theirs = (np.array([side[channel] for channel in self.shared]) for side in (before, after))
        for signal in (*ours, *theirs):
            check_finite(signal)
        self._rate_hz, self._frames = rate_hz, ours.shape[1]
        self._struck_channel = struck = first_of(self.shared, MEASURED_FIRST) or self.shared[0]
        self._struck = (before[struck], after[struck])
        self._strokes = [
            np.array([attack.frame for attack in find_attacks(side, rate_hz=rate_hz)], dtype=np.int64)
            for side in self._struck
        ]
        self._sums = [
            np.concatenate((np.zeros((len(ours), 1)), np.cumsum(each, axis=1)), axis=1)
            for each in (ours**2, theirs**2, ours * theirs)
        ]
        # Each channel counts alike, however loud it was recorded.
        whole = (self._sums[0][:, -1] + self._sums[1][:, -1]) / (2 * self._frames)
        self._around = np.maximum(whole, _FLOOR**2)[:, None]

    def first_quiet(self, points: Sequence[JoinPoint], wanted: int) -> int | None:
        """Of some joins the first that neither clicks nor dips, in the channel in which strokes are looked for; None
        where all do.
        """
        start = max(0, wanted - round(AROUND_S * self._rate_hz))
        span = slice(start, wanted + round(AROUND_S * self._rate_hz))
        watch = FadeWatch(*(side[span] for side in self._struck), rate_hz=self._rate_hz)
        for number, point in enumerate(points):
            alike = dict(point.join.alike)[self._struck_channel]
            if not watch.hears(point.frame - start, point.join.frames, alike):
                return number
        return None

    def _powers(self, at: NDArray[np.int64], frames: int) -> tuple[Real, Real, Real]:
        """Mean powers of either side and of both around some places, shape (channels, places)."""
        start, end = np.maximum(at - frames // 2, 0), np.minimum(at + frames // 2, self._frames)
        ours, theirs, both = ((each[:, end] - each[:, start]) / frames / self._around for each in self._sums)
        return ours, theirs, both

    def measure(self, at: NDArray[np.int64], frames: int, wanted: int) -> _Measured:
        ours, theirs, both = self._powers(at, frames)
        power = (ours + theirs) / 2
        alike = np.clip(both / np.sqrt(np.maximum(ours, _FLOOR) * np.maximum(theirs, _FLOOR)), LEAST_ALIKE, 1.0)
        # What the two do not share; of a short fade over its surroundings too, where it clicks.
        apart = np.mean(power - both, axis=0)
        wide = self._powers(at, max(frames, round(_WIDE_S * self._rate_hz)))
        around = np.mean((wide[0] + wide[1]) / 2 - wide[2], axis=0)
        length_s = frames / self._rate_hz
        lost, cut = self._note_lost(at), self._attack_cut(at, frames)
        cost = (
            np.mean(power, axis=0) / 4
            + around * _CLICKS_S / length_s
            + apart * (length_s / _TWO_S + 0.5)
            + _NOTE_LOST * lost
            + _ATTACK_CUT * cut
            + _BEGINS_LATE * self._begins_late(at, wanted)
            + _FAR * np.abs(at - wanted) / (REACH_S * self._rate_hz)
            + _UNUSUAL * abs(math.log(length_s / _USUAL_S))
        )
        step_db = 10 * np.log10(np.maximum(theirs, _FLOOR).sum(axis=0) / np.maximum(ours, _FLOOR).sum(axis=0))
        return _Measured(cost, alike, apart, step_db, lost, cut)

    def point(self, frame: int, frames: int, wanted: int) -> JoinPoint:
        found = self.measure(np.array([frame]), frames, wanted)
        alike = zip(self.shared, found.alike[:, 0].tolist(), strict=True)
        look = _look(bool(found.lost[0]), bool(found.cut[0]), float(found.apart[0]))
        join = Join(frames, tuple((channel, round(each, 4)) for channel, each in alike), look)
        apart_db = 10 * math.log10(max(float(found.apart[0]), _FLOOR))
        return JoinPoint(frame, join, float(found.cost[0]), float(found.step_db[0]), apart_db)

    def _note_lost(self, at: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Whether a border lies between the two strokes of one note, shape of `at`."""
        ours, theirs = self._strokes
        lost = np.zeros(len(at), dtype=bool)
        for stroke in ours if theirs.size else ():
            other = theirs[np.argmin(np.abs(theirs - stroke))]
            mutual = ours[np.argmin(np.abs(ours - other))] == stroke
            if mutual and abs(int(other) - int(stroke)) <= _SAME_NOTE_S * self._rate_hz:
                lost |= (at > min(stroke, other)) & (at <= max(stroke, other))
        return lost

    def _begins_late(self, at: NDArray[np.int64], wanted: int) -> NDArray[np.bool_]:
        """Whether a border comes after the note with which the second side begins at the wished one, shape of `at`."""
        theirs = self._strokes[1]
        first = theirs[np.abs(theirs - wanted) <= _SAME_NOTE_S * self._rate_hz]
        return np.asarray(at > first[0]) if first.size else np.zeros(len(at), dtype=bool)

    def _attack_cut(self, at: NDArray[np.int64], frames: int) -> NDArray[np.bool_]:
        """Whether a crossfade lies in an attack of either take, shape of `at`."""
        cut = np.zeros(len(at), dtype=bool)
        for stroke in np.concatenate(self._strokes):
            begins, ends = stroke - _BEFORE_S * self._rate_hz, stroke + _ATTACK_S * self._rate_hz
            cut |= (at + frames // 2 > begins) & (at - frames // 2 < ends)
        return cut


def _may_be_heard(point: JoinPoint) -> JoinPoint:
    look = point.join.look or "no place near it is quite smooth"
    return replace(point, join=replace(point.join, look=look))


def _look(lost: bool, cut: bool, apart: float) -> str:
    """What may be heard of a join; empty where nothing is."""
    if lost:
        return "a note would be heard twice, or not at all"
    if cut:
        return "it cuts an attack"
    return "what rings does not go on in the other take" if apart > _HEARD else ""
