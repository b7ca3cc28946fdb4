"""A stroke and how late it comes: asked for by whoever moves what lies late (`placing.py` finds them)."""

from collections.abc import Sequence
from dataclasses import dataclass

from fatsignal.core.median import median


@dataclass(frozen=True, slots=True)
class PlacedStroke:
    """A stroke at `frame` of the session, and how many frames it comes later than meant; None: nothing says where."""

    frame: int
    off_click_frames: int | None
    off_others_frames: int | None


def lag_frames(strokes: Sequence[PlacedStroke], *, by: str) -> int | None:
    """By how much a passage as a whole comes late, in frames: the middle of its strokes; None where nothing says.

    `by` is "click" or "others".
    """
    off = [each.off_click_frames if by == "click" else each.off_others_frames for each in strokes]
    known = [frames for frames in off if frames is not None]
    return round(median(known)) if known else None
