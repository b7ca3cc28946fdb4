"""Finding a tone: by words, by what it is for, by how it sounds."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal
from uuid import UUID

import numpy as np

from fatsignal.core.tone.instruments import For

Order = Literal["name", "brighter", "darker", "cleaner", "more driven", "more low end", "quieter", "softer", "harder"]
# The version of `measures.py`: what another one gave is measured anew.
MEASURED_BY = 1
# What counts as one step of each figure, so that they can be compared: about what is just told apart by ear (common
# practice, no source).
_STEPS = {
    "tilt_db": 0.5, "low_end_db": 1.5, "added_db": 6.0, "crest_lost_db": 1.5, "answers_db": 2.0, "tail_s": 0.4,
}  # fmt: skip
_SHAPE_STEP_DB = 2.0


@dataclass(frozen=True, slots=True)
class Findable:
    """A tone as it is looked for; `figures` are those of `ToneMeasures` by their names, None until it was measured."""

    id: UUID
    name: str
    words: str
    instruments: tuple[For, ...]
    figures: dict[str, float] | None
    thirds_db: tuple[float, ...] = ()

    def says(self, typed: str) -> bool:
        """Whether every word that was typed begins a word of its name or of what is said of it."""
        own = f"{self.name} {self.words} {' '.join(self.instruments)}".lower().replace(",", " ").split()
        return all(any(word.startswith(each) for word in own) for each in typed.lower().split())

    def suits(self, instrument: For | None) -> bool:
        """Whether it was made for an instrument, or for any."""
        return instrument is None or not self.instruments or instrument in self.instruments


# Which figure an order goes by, and whether the greatest comes first.
_BY: dict[Order, tuple[str, bool]] = {
    "brighter": ("tilt_db", True), "darker": ("tilt_db", False), "cleaner": ("added_db", False),
    "more driven": ("added_db", True), "more low end": ("low_end_db", True), "quieter": ("quiet_db", True),
    "softer": ("answers_db", False), "harder": ("answers_db", True),
}  # fmt: skip


def found(
    tones: Sequence[Findable], *, typed: str = "", instrument: For | None = None, order: Order = "name",
    like: UUID | None = None, between: UUID | None = None, than: UUID | None = None,
) -> list[Findable]:  # fmt: skip
    """Those that are meant, the best first.

    With `like` the nearest to a tone comes first; with `between` as well, what lies between the two; with `than` only
    those that have more of what is ordered by than that tone. What was not measured yet comes last.
    """
    by_id = {tone.id: tone for tone in tones}
    left = [tone for tone in tones if tone.says(typed) and tone.suits(instrument)]
    one, other = by_id.get(like) if like else None, by_id.get(between) if between else None
    if one is not None and other is not None:
        left = [tone for tone in left if tone.id not in (like, between)]
        return _first(left, lambda tone: _off_the_way(one, tone, other))
    if one is not None:
        return _first([tone for tone in left if tone.id != like], lambda tone: apart(one, tone))
    if order == "name":
        return sorted(left, key=lambda tone: tone.name.lower())
    figure, greatest_first = _BY[order]
    sign = -1.0 if greatest_first else 1.0
    mark = by_id.get(than) if than else None
    if mark is not None and mark.figures is not None:
        at = sign * mark.figures[figure]
        left = [tone for tone in left if tone.figures is not None and sign * tone.figures[figure] < at]
    return _first(left, lambda tone: sign * tone.figures[figure] if tone.figures else None)


def apart(one: Findable, other: Findable) -> float | None:
    """How far two tones are apart, in steps that are just told apart; None where one was not measured."""
    if one.figures is None or other.figures is None:
        return None
    steps = [(one.figures[name] - other.figures[name]) / step for name, step in _STEPS.items()]
    shape = (np.array(one.thirds_db) - np.array(other.thirds_db)) / _SHAPE_STEP_DB
    return float(np.sqrt(np.mean(np.square(steps)) + (np.mean(np.square(shape)) if len(shape) else 0.0)))


def _off_the_way(one: Findable, tone: Findable, other: Findable) -> float | None:
    """How much longer the way from one to the other is by a tone, and how far from the middle it lies."""
    first, second = apart(one, tone), apart(tone, other)
    straight = apart(one, other)
    if first is None or second is None or straight is None:
        return None
    return first + second - straight + 0.5 * abs(first - second)


def _first(tones: list[Findable], by: Callable[[Findable], float | None]) -> list[Findable]:
    known = [(by(tone), tone) for tone in tones]
    measured = sorted(((value, tone) for value, tone in known if value is not None), key=lambda pair: pair[0])
    return [tone for _, tone in measured] + [tone for value, tone in known if value is None]
