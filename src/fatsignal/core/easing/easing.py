"""Strokes of a take put right in time and pitch: how much later each sounds, and how many cents higher.

An easing is a map from the take to what sounds: attacks go where they are wanted, untouched, and what rings between
them is stretched (`render.py`). It is one map for all channels, so that they stay together. Outside of what it changes
the take is as it was recorded; without a change there is no easing at all.
"""

from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from uuid import NAMESPACE_OID, UUID, uuid5

from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

# Of the computation: what another one makes of the same strokes is something else.
VERSION = 1
# What is copied of an attack, from before its stroke on: a microphone hears it up to some ms later than the DI.
BEFORE_S, ATTACK_S = 0.005, 0.025
# What rings between two attacks is at least so long, played and stretched.
_SHORTEST_RING_S = 0.01
NEAREST_S = BEFORE_S + ATTACK_S + _SHORTEST_RING_S
# What rings is stretched to no more than that many times its length, nor made shorter than its part.
MOST_TIMES = 4.0
# Where no other stroke is near, the gap is closed within that time.
_FREE_S = 2.0
LARGEST_CENTS = 100.0


@dataclass(frozen=True, slots=True, order=True)
class EasedStroke:
    """A stroke at a frame of the take's files sounds so many frames later, and so much higher until the next one."""

    take_frame: int
    by_frames: int = 0
    cents: float = 0.0

    def __post_init__(self) -> None:
        if not abs(self.cents) <= LARGEST_CENTS:
            raise InvalidSetting(f"a note can be tuned by at most {LARGEST_CENTS:.0f} cents")

    @property
    def sounds_at(self) -> int:
        return self.take_frame + self.by_frames


@dataclass(frozen=True, slots=True)
class Easing:
    """Strokes in order, from the last before the change to the first after it; the first stays where it is.

    What follows the last lies as much later as that does: by nothing, unless a passage was brought to another tempo.
    """

    strokes: tuple[EasedStroke, ...]

    def __post_init__(self) -> None:
        if len(self.strokes) < 2 or self.strokes[0].by_frames:
            raise InvalidSetting("an easing needs a stroke before it that stays where it was played, and one after it")
        for one, other in pairwise(self.strokes):
            if not (one.take_frame < other.take_frame and one.sounds_at < other.sounds_at):
                raise InvalidSetting("a stroke would come before the one before it: move it less far")

    @property
    def later(self) -> int:
        """How many frames later everything after it lies."""
        return self.strokes[-1].by_frames

    @property
    def changes(self) -> Window:
        """What of the take it changes, in frames of its files."""
        return Window(self.strokes[0].take_frame, self.strokes[-1].take_frame)

    @property
    def sounds(self) -> Window:
        """Where that lies in the eased take."""
        return Window(self.strokes[0].sounds_at, self.strokes[-1].sounds_at)

    @property
    def eased(self) -> tuple[EasedStroke, ...]:
        """Those of its strokes that were moved or tuned."""
        return tuple(stroke for stroke in self.strokes if stroke.by_frames or stroke.cents)

    def sounds_at(self, take_frame: int) -> int:
        """Where a frame of the take's files sounds in the eased take; between strokes, in proportion."""
        return _between([(each.take_frame, each.sounds_at) for each in self.strokes], take_frame)

    def take_frame(self, sounds_at: int) -> int:
        """The frame of the take's files that sounds at a frame of the eased take."""
        return _between([(each.sounds_at, each.take_frame) for each in self.strokes], sounds_at)

    def source_id(self, take_id: UUID) -> UUID:
        """Tells what it makes of a take from anything else."""
        told = [(each.take_frame, each.by_frames, each.cents) for each in self.strokes]
        return uuid5(NAMESPACE_OID, repr((str(take_id), VERSION, told)))


@dataclass(frozen=True, slots=True)
class Run:
    """Strokes in a row between which something changes, as an easing by itself; `at` is where it lies in the eased
    take. Between runs the eased take is the take, so many frames `later` after this one.
    """

    easing: Easing
    at: Window
    later: int


def runs(easing: Easing) -> list[Run]:
    """Where an easing changes anything: all else needs no sound of its own."""
    found: list[list[EasedStroke]] = []
    goes_on = False
    for one, other in pairwise(easing.strokes):
        changes = _changes(one, other)
        if changes and goes_on:
            found[-1].append(other)
        elif changes:
            found.append([one, other])
        goes_on = changes
    return [
        Run(_by_itself(strokes), Window(strokes[0].sounds_at, strokes[-1].sounds_at), strokes[-1].by_frames)
        for strokes in found
    ]


def _by_itself(strokes: Sequence[EasedStroke]) -> Easing:
    """Strokes with the first where it was played."""
    begins = strokes[0].by_frames
    return Easing(tuple(replace(each, by_frames=each.by_frames - begins) for each in strokes))


def ease(
    before: Easing | None, known: Iterable[int], changed: Mapping[int, EasedStroke], *, bounds: Window, rate_hz: int
) -> Easing | None:  # fmt: skip
    """An easing in which some strokes are others; None where nothing is eased any more.

    Parameters
    ----------
    before
        What was eased already: it stays, but for what is changed.
    known
        Frames of the take at which it is struck.
    changed
        By the frame of the stroke; of those that are too near another one it says `apart` which are left.
    bounds
        What of the take's files there is.

    Raises
    ------
    InvalidSetting
        If what rings between two of them would become too short or too long.
    """
    old = {each.take_frame: each for each in (before.strokes if before else ())}
    busy = [*old, *changed]
    if not busy:
        return None
    # Within what was eased before, its own strokes are those that there are.
    fresh = [frame for frame in known if before is None or not _inside(before.changes, frame)]
    free = round(_FREE_S * rate_hz)
    ends = [max(bounds.from_frame, min(busy) - free), min(bounds.to_frame, max(busy) + free)]
    near = [frame for frame in fresh if ends[0] < frame < ends[1]]
    frames = apart([*busy, *near, *ends], first=busy, rate_hz=rate_hz)
    strokes = _needed([changed.get(frame, old.get(frame, _as_it_lies(before, frame))) for frame in frames])
    if not strokes:
        return None
    if strokes[0].by_frames:
        raise InvalidSetting("the take begins with this stroke: nothing before it could close the gap, move the piece")
    if strokes[-1].by_frames != (before.later if before else 0):
        raise InvalidSetting("the take ends with this stroke: nothing after it could close the gap, move the piece")
    check_rings(strokes, rate_hz=rate_hz)
    return Easing(tuple(strokes))


def _inside(span: Window, frame: int) -> bool:
    return span.from_frame < frame < span.to_frame


def _as_it_lies(before: Easing | None, frame: int) -> EasedStroke:
    """A stroke that is not eased itself; what was eased before may lie before it."""
    return EasedStroke(frame, before.later if before is not None and frame >= before.changes.to_frame else 0)


def apart(frames: Iterable[int], *, first: Sequence[int] = (), rate_hz: int) -> list[int]:
    """Strokes that are far enough apart to be moved by themselves, in order; those named `first` go before others."""
    least, kept = round(NEAREST_S * rate_hz), list[int]()
    for frame in [*sorted(set(first)), *sorted(set(frames) - set(first))]:
        at = bisect_right(kept, frame)
        near = kept[max(0, at - 1) : at + 1]
        if all(abs(frame - other) >= least for other in near):
            kept.insert(at, frame)
    return kept


def check_rings(strokes: Sequence[EasedStroke], *, rate_hz: int) -> None:
    """See that between the attacks enough is left to stretch; raises InvalidSetting where it is not."""
    attack = round((BEFORE_S + ATTACK_S) * rate_hz)
    for one, other in pairwise(strokes):
        if one.by_frames == other.by_frames:
            continue
        rings = other.take_frame - one.take_frame - attack
        stretched = other.sounds_at - one.sounds_at - attack
        if stretched < _SHORTEST_RING_S * rate_hz or stretched * MOST_TIMES < rings:
            raise InvalidSetting(
                f"the note before would ring only {max(0.0, 1000 * stretched / rate_hz):.0f} ms: move it less far"
            )
        if stretched > MOST_TIMES * rings:
            raise InvalidSetting(
                f"the note before rings {1000 * rings / rate_hz:.0f} ms and would have to be made"
                f" {stretched / rings:.1f} times as long: move it less far"
            )


def without(easing: Easing | None, span: Window) -> Easing | None:
    """An easing of which the strokes that sound in a span are back where and as they were played."""
    # What was brought to another tempo lies by that.
    if easing is None or easing.later:
        return easing
    inside = {each for each in easing.eased if span.from_frame <= each.sounds_at < span.to_frame}
    left = [EasedStroke(each.take_frame) if each in inside else each for each in easing.strokes]
    strokes = _needed(left)
    return replace(easing, strokes=tuple(strokes)) if strokes else None


def _needed(strokes: Sequence[EasedStroke]) -> list[EasedStroke]:
    """Strokes from before the first change to after the last one, without those between which nothing changes."""
    active = [_changes(one, other) for one, other in pairwise(strokes)]
    if True not in active:
        return []
    first, last = active.index(True), len(active) - 1 - active[::-1].index(True)
    # A tuned stroke is itself where the change begins.
    return list(strokes[first : last + 2])


def _changes(one: EasedStroke, other: EasedStroke) -> bool:
    """Whether what rings from one stroke to the next is another than was played."""
    return one.by_frames != other.by_frames or bool(one.cents)


def _between(points: Sequence[tuple[int, int]], frame: int) -> int:
    """Where a frame goes by a map of straight lines; beyond its ends it is shifted as they are."""
    if frame <= points[0][0]:
        return frame + points[0][1] - points[0][0]
    for (start, to_start), (end, to_end) in pairwise(points):
        if frame < end:
            return to_start + round((frame - start) * (to_end - to_start) / (end - start))
    return frame + points[-1][1] - points[-1][0]
