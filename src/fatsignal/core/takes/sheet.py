"""The song sheet: which bars of a song are played, by which take, and which are missing."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from fatsignal.core.takes.performance import Played, counting
from fatsignal.core.takes.windows import Window, holds, touches
from fatsignal.core.timing.tempo import TempoMap

# A bar counts as played when a take's window holds all of it but this share: a pass stopped on the
# last beat has played the bar.
_MISSING_SHARE = 0.05


@dataclass(frozen=True, slots=True)
class Bar:
    """A bar, its frames, and the take that is heard there."""

    number: int
    from_frame: int
    to_frame: int
    take_id: UUID | None


@dataclass(frozen=True, slots=True)
class Phrase:
    """Some bars of a section, the unit in which takes are compared."""

    first_bar: int
    bars: int
    from_frame: int
    to_frame: int


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One section: its bars, its phrases, the takes that touch it from the newest on, the one that counts most, and
    what is missing.
    """

    from_frame: int
    to_frame: int
    bars: list[Bar]
    phrases: list[Phrase]
    take_ids: list[UUID]
    first_take_id: UUID | None
    missing_bars: int


def sheet_line(tempo: TempoMap, *, first_bar: int, bars: int, phrase_bars: int, takes: Sequence[Played]) -> SheetLine:
    """Lay takes, the newest first, over the bars of one section."""
    start, end = tempo.bar_frame(first_bar), tempo.bar_frame(first_bar + bars)
    near = [take for take in takes if touches(take.listed, Window(start, end))]
    heard = counting(near)
    drawn = []
    for number in range(first_bar, first_bar + bars):
        bar_from, bar_to = tempo.bar_frame(number), tempo.bar_frame(number + 1)
        slack = round(_MISSING_SHARE * (bar_to - bar_from))
        by = next(
            (take.take_id for take in heard if holds(take.windows, Window(bar_from + slack, bar_to - slack))),
            None,
        )
        drawn.append(Bar(number, bar_from, bar_to, by))
    phrases = phrases_of(tempo, first_bar=first_bar, bars=bars, phrase_bars=phrase_bars)
    touching = [take.take_id for take in near]
    first = heard[0].take_id if heard else None
    missing = sum(1 for bar in drawn if bar.take_id is None)
    return SheetLine(start, end, drawn, phrases, touching, first, missing)


def phrases_of(tempo: TempoMap, *, first_bar: int, bars: int, phrase_bars: int) -> list[Phrase]:
    """The phrases of a section; the last one may be shorter."""
    phrases = []
    for bar in range(first_bar, first_bar + bars, phrase_bars):
        length = min(phrase_bars, first_bar + bars - bar)
        phrases.append(Phrase(bar, length, tempo.bar_frame(bar), tempo.bar_frame(bar + length)))
    return phrases
