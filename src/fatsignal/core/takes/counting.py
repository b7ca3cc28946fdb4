"""Which of a part's takes counts at every place, as long as nobody chose: a comp follows this (`core/comp`).

Starred takes come before unmarked ones, newer before older ones; one that is struck out, or in the bin, never counts.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

from fatsignal.core.takes.windows import Window, joined

Rating = Literal["starred", "struck"]


@dataclass(frozen=True, slots=True)
class Played:
    """A take with its windows on the session's time line, all that was recorded, and what a person thinks of it."""

    take_id: UUID
    windows: tuple[Window, ...]
    recorded: Window | None = None
    rating: Rating | None = None

    @property
    def begins(self) -> int:
        """The frame of the session at which its files begin."""
        return self.windows[0].from_frame if self.recorded is None else self.recorded.from_frame

    @property
    def listed(self) -> tuple[Window, ...]:
        """Where it is looked for: where it is used, or, as long as nothing of it is, wherever it was recorded."""
        return self.windows or (() if self.recorded is None else (self.recorded,))


@dataclass(frozen=True, slots=True)
class Stretch:
    """A stretch of the song that one take plays."""

    take_id: UUID
    span: Window


def counting(newest_first: Sequence[Played]) -> list[Played]:
    """Takes in the order in which they count: the first that is used at a place is heard there."""
    kept = [take for take in newest_first if take.rating != "struck"]
    return sorted(kept, key=lambda take: take.rating != "starred")


def newest_wins(newest_first: Sequence[Played]) -> list[Stretch]:
    """What each place of the song is played by, in its order and without overlap."""
    taken: tuple[Window, ...] = ()
    stretches: list[Stretch] = []
    for take in counting(newest_first):
        for window in joined(take.windows):
            stretches += [Stretch(take.take_id, free) for free in _without(window, taken)]
        taken = joined([*taken, *take.windows])
    return sorted(stretches, key=lambda stretch: stretch.span)


def _without(window: Window, taken: Sequence[Window]) -> list[Window]:
    left, at = [], window.from_frame
    for other in taken:
        if other.to_frame <= at or other.from_frame >= window.to_frame:
            continue
        if other.from_frame > at:
            left.append(Window(at, other.from_frame))
        at = max(at, other.to_frame)
    if at < window.to_frame:
        left.append(Window(at, window.to_frame))
    return left
