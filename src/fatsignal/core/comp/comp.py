"""A comp: what a person settled of a part, and what the part therefore sounds like. The one rule for all who ask.

Where nobody touched anything the takes decide: starred before unmarked, newer before older, never one that is struck
out. What was touched is settled: there the comp's own pieces sound and nothing else, whatever is recorded later.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from fatsignal.core.comp.pieces import CompPiece, Pieces, cleared, in_order, within
from fatsignal.core.takes.counting import Played, newest_wins
from fatsignal.core.takes.windows import Window, clipped, holds, joined


@dataclass(frozen=True, slots=True)
class Comp:
    """Places that were touched, and the pieces that sound there; a place without a piece is a hole.

    `seen` are numbers of the newest take that there was when a section was touched last: newer ones are offered.
    """

    settled: tuple[Window, ...] = ()
    pieces: Pieces = ()
    seen: tuple[tuple[UUID, int], ...] = ()

    @property
    def take_ids(self) -> tuple[UUID, ...]:
        """The takes that it needs."""
        return tuple(dict.fromkeys(piece.take_id for piece in self.pieces))


def performance(comp: Comp, newest_first: Sequence[Played]) -> Pieces:
    """What a part sounds like: in the order of the song, without overlap."""
    followed = _followed(newest_first)
    for span in comp.settled:
        followed = cleared(followed, span)
    return in_order([*followed, *comp.pieces])


def settled(comp: Comp, span: Window, newest_first: Sequence[Played]) -> Comp:
    """A comp in which `span` follows the takes no more: what sounds there now stays."""
    if holds(comp.settled, span):
        return comp
    now = within(performance(comp, newest_first), span)
    pieces = in_order([*cleared(comp.pieces, span), *now])
    return replace(comp, settled=joined([*comp.settled, span]), pieces=pieces)


def following(comp: Comp, span: Window) -> Comp:
    """A comp that follows the takes again where `span` is."""
    left = [part for each in comp.settled for part in _outside(each, span)]
    return replace(comp, settled=joined(left), pieces=cleared(comp.pieces, span))


def with_seen(comp: Comp, section_ids: Iterable[UUID], number: int) -> Comp:
    """A comp whose sections were touched when `number` was the newest take."""
    return replace(comp, seen=tuple(sorted((dict(comp.seen) | dict.fromkeys(section_ids, number)).items())))


def with_pieces(comp: Comp, pieces: Iterable[CompPiece]) -> Comp:
    """A comp with other pieces; they lie where it is settled."""
    kept = in_order(pieces)
    return replace(comp, settled=joined([*comp.settled, *(piece.place for piece in kept)]), pieces=kept)


def rearranged(comp: Comp, moves: Sequence[tuple[Window, int]], *, gone: Sequence[Window] = ()) -> Comp:
    """A comp after its song was rearranged: each span lies so many frames later, with all that is settled in it.

    Where it lies then counts as where it was recorded: it was its section that moved. What is `gone` is settled no
    more, nor is what lies where a span comes to.
    """
    left = comp
    for span in [*(span for span, _ in moves), *gone, *(span.moved(by) for span, by in moves)]:
        left = following(left, span)
    places, pieces = list(left.settled), list(left.pieces)
    for span, by in moves:
        places += [window.moved(by) for window in clipped(comp.settled, span)]
        pieces += [replace(piece, place=piece.place.moved(by)) for piece in within(comp.pieces, span)]
    return replace(comp, settled=joined(places), pieces=in_order(pieces))


def _followed(newest_first: Sequence[Played]) -> Pieces:
    by_id = {take.take_id: take for take in newest_first}
    return in_order(
        CompPiece(
            take_id=stretch.take_id, take_frame=stretch.span.from_frame - by_id[stretch.take_id].begins,
            place=stretch.span, by_hand=False,
        )
        for stretch in newest_wins(newest_first)
    )  # fmt: skip


def _outside(window: Window, span: Window) -> tuple[Window, Window]:
    return (
        Window(window.from_frame, min(window.to_frame, span.from_frame)),
        Window(max(window.from_frame, span.to_frame), window.to_frame),
    )
