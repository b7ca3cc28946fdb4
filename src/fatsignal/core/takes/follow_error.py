"""A cascade: an overdub that follows a late take instead of the click, and makes the next one later still."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.takes.click_timing import StrokeTiming

# Behind the click by this much is felt; common practice, no source.
_LATE_MS = 12.0
_FEWEST_COMMON = 8
# The overdub lies closer to what it follows than to the click by this factor.
_CLOSER = 0.5


@dataclass(frozen=True, slots=True)
class Cascade:
    """How late what was heard is, and how late the overdub is, at the places that both play; ms."""

    heard_late_ms: float
    own_late_ms: float
    places: int


def follows(own: Sequence[StrokeTiming], heard: Sequence[StrokeTiming]) -> Cascade | None:
    """Whether an overdub follows a late take that was heard while it was played; None where it does not.

    Both are held against the click at the places that they have in common. The overdub follows when what it heard is
    late, it is late itself, and it lies closer to what it heard than to the click.
    """
    mine = {stroke.place_frame: stroke.ms for stroke in own}
    theirs = {stroke.place_frame: stroke.ms for stroke in heard}
    common = sorted(mine.keys() & theirs.keys())
    if len(common) < _FEWEST_COMMON:
        return None
    own_ms, heard_ms = np.array([mine[at] for at in common]), np.array([theirs[at] for at in common])
    own_late, heard_late = float(np.median(own_ms)), float(np.median(heard_ms))
    apart = abs(float(np.median(own_ms - heard_ms)))
    if heard_late < _LATE_MS or own_late < _LATE_MS or apart > _CLOSER * own_late:
        return None
    return Cascade(round(heard_late, 1), round(own_late, 1), len(common))
