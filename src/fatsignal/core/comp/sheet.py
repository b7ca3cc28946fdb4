"""The song sheet: which bars of a song are played, by which take, and which are missing."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from uuid import UUID

from fatsignal.core.comp.pieces import CompPiece, Pieces, holes, within
from fatsignal.core.takes.counting import Played, counting
from fatsignal.core.takes.windows import Window, touches
from fatsignal.core.timing.tempo import TempoMap

# A bar counts as played when something sounds in all of it but this share at either end: a pass stopped on the last
# beat has played the bar.
_MISSING_SHARE = 0.05


@dataclass(frozen=True, slots=True)
class Bar:
    """A bar, its frames, and the take that is heard in most of it; None where any of it is silent."""

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
    """One section: its bars, its phrases, the takes that touch it from the newest on, the one that is heard most (where
    none is heard, that counts first), and what is missing.
    """

    from_frame: int
    to_frame: int
    bars: list[Bar]
    phrases: list[Phrase]
    take_ids: list[UUID]
    first_take_id: UUID | None
    missing_bars: int


def sheet_line(
    tempo: TempoMap, *, first_bar: int, bars: int, phrase_bars: int, takes: Sequence[Played], sounding: Pieces
) -> SheetLine:
    """Lay what sounds over the bars of one section, and list the takes there, of those given the newest first."""
    start, end = window_of_bars(tempo, first_bar, bars)
    section = Window(start, end)
    near = [take for take in takes if touches(take.listed, section)]
    here = within(sounding, section)
    drawn = []
    for number in range(first_bar, first_bar + bars):
        bar_from, bar_to = tempo.bar_frame(number), tempo.bar_frame(number + 1)
        slack = round(_MISSING_SHARE * (bar_to - bar_from))
        bar = Window(bar_from + slack, bar_to - slack)
        drawn.append(Bar(number, bar_from, bar_to, None if holes(here, bar) else _mostly(within(here, bar))))
    phrases = phrases_of(tempo, first_bar=first_bar, bars=bars, phrase_bars=phrase_bars)
    touching = [take.take_id for take in near]
    first = next((take.take_id for take in counting(near)), None)
    heard = _mostly(piece for piece in here if piece.take_id in touching)
    missing = sum(1 for bar in drawn if bar.take_id is None)
    return SheetLine(start, end, drawn, phrases, touching, heard or first, missing)


def _mostly(pieces: Iterable[CompPiece]) -> UUID | None:
    """The take that is heard for longest, of those the first."""
    heard: dict[UUID, int] = {}
    for piece in pieces:
        heard[piece.take_id] = heard.get(piece.take_id, 0) + piece.place.frames
    return max(heard, key=lambda take_id: heard[take_id], default=None)


def window_of_bars(tempo: TempoMap, first_bar: int, bars: int) -> Window:
    """The frames of some bars, as of a section."""
    return Window(tempo.bar_frame(first_bar), tempo.bar_frame(first_bar + bars))


def in_bars(tempo: TempoMap, span: Window, *, slack_frames: int = 0) -> str:
    """A span in words: the bars that it touches by more than some frames."""
    first, last = (
        tempo.place_at(frame).bar for frame in (span.from_frame + slack_frames, span.to_frame - 1 - slack_frames)
    )
    return f"bar {first}" if first >= last else f"bars {first} to {last}"


def phrases_of(tempo: TempoMap, *, first_bar: int, bars: int, phrase_bars: int) -> list[Phrase]:
    """The phrases of a section; the last one may be shorter."""
    phrases = []
    for bar in range(first_bar, first_bar + bars, phrase_bars):
        length = min(phrase_bars, first_bar + bars - bar)
        phrases.append(Phrase(bar, length, tempo.bar_frame(bar), tempo.bar_frame(bar + length)))
    return phrases
