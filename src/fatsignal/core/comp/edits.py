"""What is done to a comp: a take used somewhere, a hole made, given back to the takes; and where it needs joins.

An edit settles the sections that it touches, and a little around them, so that both sides of a border at their edges
can be joined; what of the little is not needed for a crossfade is given back.
"""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise
from uuid import UUID

from fatsignal.core.comp.comp import Comp, following, performance, settled, with_pieces
from fatsignal.core.comp.pieces import REACH_S, CompPiece, Join, Pieces, cleared, holes, in_order, laid
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window, clipped, joined, touches
from fatsignal.errors import InvalidSetting

# Around a section, for as long a border may move; nobody hears a take that goes on.
AROUND_S = 0.25


def use_take(
    comp: Comp, take: Played, span: Window, newest_first: Sequence[Played], *, within: Window, rate_hz: int,
    why: str = "",
) -> Comp:  # fmt: skip
    """A comp in which a take sounds in `span`, as far as it was recorded there; `within` are the sections it lies in.

    Raises
    ------
    InvalidSetting
        If nothing of the take lies there.
    """
    recorded = take.recorded or take.windows[0]
    place = next(iter(clipped([recorded], span)), None)
    if place is None:
        raise InvalidSetting("this take was not recorded there: choose another one, or move it there first")
    before = settled(comp, around(within, rate_hz), newest_first)
    place = _to_near_borders(before.pieces, place, recorded, rate_hz)
    piece = CompPiece(
        take_id=take.take_id, take_frame=place.from_frame - take.begins, place=place, by_hand=not why, why=why
    )
    return with_pieces(before, fresh(before.pieces, laid(before.pieces, piece)))


def make_hole(comp: Comp, span: Window, newest_first: Sequence[Played], *, within: Window, rate_hz: int) -> Comp:
    """A comp in which nothing sounds in `span`."""
    before = settled(comp, around(within, rate_hz), newest_first)
    return replace(before, pieces=fresh(before.pieces, cleared(before.pieces, span)))


def filled_by(comp: Comp, windows: Sequence[Window], *, playable: set[UUID], rate_hz: int) -> list[Window]:
    """Windows of a take that were rolled for a hole: they begin where it does, or shortly after, and go no farther.

    Whatever else a take plays over a hole is offered and changes nothing: a silence may be meant. What sounds there of
    a take that is not `playable`, as it lies in the bin, is a hole too.
    """
    there = [piece for piece in comp.pieces if piece.take_id in playable]
    open_ = [hole for span in comp.settled for hole in holes(there, span)]
    return [
        window
        for window in windows
        if any(
            0 <= window.from_frame - hole.from_frame <= AROUND_S * rate_hz and window.to_frame <= hole.to_frame
            for hole in open_
        )
    ]


def give_back(comp: Comp, within: Window, *, rate_hz: int) -> Comp:
    """A comp that follows the takes again in a section, and in what little of its neighbours was settled with it."""
    left = following(comp, within)
    more = around(within, rate_hz)
    for side in (
        Window(more.from_frame, within.from_frame), Window(within.to_frame, more.to_frame),
    ):  # fmt: skip
        # A neighbour of which more is settled was touched by itself.
        if all(each.frames <= side.frames for each in left.settled if touches([each], side)):
            left = following(left, side)
    return left


def unjoined(pieces: Pieces) -> list[int]:
    """Which pieces begin where another one ends, and have no crossfade there yet."""
    return [
        number
        for number, (before, after) in enumerate(pairwise(pieces), start=1)
        if before.place.to_frame == after.place.from_frame and not before.sounds_on_in(after) and after.join is None
    ]


def with_border(pieces: Pieces, number: int, frame: int, join: Join) -> Pieces:
    """Pieces whose border before one of them lies at another frame of the session, with its crossfade.

    Raises
    ------
    InvalidSetting
        If one of the two would have no length.
    """
    before, after = pieces[number - 1], pieces[number]
    if not before.place.from_frame < frame < after.place.to_frame:
        raise InvalidSetting("a border cannot go past the piece on its other side: use another take there instead")
    by = frame - after.place.from_frame
    ends = replace(before, place=Window(before.place.from_frame, frame))
    begins = replace(
        after, take_frame=after.take_frame + by, place=Window(frame, after.place.to_frame), join=join
    )  # fmt: skip
    return (*pieces[: number - 1], ends, begins, *pieces[number + 1 :])


def trimmed(
    comp: Comp, before: Comp, newest_first: Sequence[Played], *, within: Window, rate_hz: int
) -> Comp:  # fmt: skip
    """A comp that gives back what an edit of `within` settled around it, where nothing needs it and nothing changes.

    `before` is what it was before the edit: what was settled then stays.
    """
    # A border goes to a near one first, and then as far as it may be moved.
    more, reach = around(within, rate_hz), 2 * REACH_S * rate_hz
    begins, ends = [], []
    for one, other in pairwise(comp.pieces):
        border, join = other.place.from_frame, other.join
        if join is None or one.place.to_frame != border:
            continue
        # Also where a border lies inside: what is heard after it is the neighbour's.
        if abs(border - within.from_frame) <= reach:
            begins.append(border - join.frames // 2)
        if abs(border - within.to_frame) <= reach:
            ends.append(border + join.frames // 2)
    first, last = min(begins, default=within.from_frame), max(ends, default=within.to_frame)
    spare = Comp(joined([Window(more.from_frame, first), Window(last, more.to_frame)]))
    for kept in before.settled:
        spare = following(spare, kept)
    followed = performance(Comp(), newest_first)
    for silent in (hole for each in spare.settled for hole in holes(comp.pieces, each)):
        for span in holes(followed, silent):
            comp = following(comp, span)
    for piece in comp.pieces:
        for other in followed:
            same = piece.easing is None and (
                (piece.take_id, piece.origin, piece.gain_db) == (other.take_id, other.origin, other.gain_db)
            )
            for span in clipped(clipped(spare.settled, piece.place), other.place) if same else ():
                comp = following(comp, span)
    return replace(comp, pieces=_without_slivers(comp.pieces, rate_hz))


def _without_slivers(pieces: Pieces, rate_hz: int) -> Pieces:
    """Pieces of which none is a moment of a recording that goes on in a neighbour: it belongs to the neighbour.

    Such moments are left where a border was moved, and would keep the next one from moving.
    """
    kept: list[CompPiece] = []
    for piece in pieces:
        before = kept[-1] if kept else None
        if before is not None and before.sounds_on_in(piece):
            whole = Window(before.place.from_frame, piece.place.to_frame)
            if piece.place.frames <= REACH_S * rate_hz:
                kept[-1] = replace(before, place=whole)
                continue
            if before.place.frames <= REACH_S * rate_hz:
                kept[-1] = replace(piece, take_frame=before.take_frame, place=whole, join=before.join)
                continue
        kept.append(piece)
    return tuple(kept)


def _to_near_borders(pieces: Pieces, place: Window, recorded: Window, rate_hz: int) -> Window:
    """A place that leaves no remnants: a piece that it covers but for a moment, because its border was moved to where
    nobody hears it, is covered whole.
    """
    first, last = place
    reach = REACH_S * rate_hz
    for piece in pieces:
        if place.from_frame - reach <= piece.place.from_frame < place.from_frame < piece.place.to_frame:
            first = max(piece.place.from_frame, recorded.from_frame)
        if piece.place.from_frame < place.to_frame < piece.place.to_frame <= place.to_frame + reach:
            last = min(piece.place.to_frame, recorded.to_frame)
    return Window(first, last)


def fresh(before: Pieces, now: Pieces) -> Pieces:
    """Pieces without the crossfades out of something that they do not follow on any more."""
    followed = {_border(*both) for both in pairwise(before)}
    kept: list[CompPiece] = list(now[:1])
    for one, other in pairwise(now):
        same = _border(one, other) in followed
        kept.append(other if same else replace(other, join=None))
    return in_order(kept)


def _border(one: CompPiece, other: CompPiece) -> tuple[object, ...]:
    """What meets where one piece ends and another begins."""
    return one.ends, other.begins[:2], other.place.from_frame


def around(within: Window, rate_hz: int) -> Window:
    """Sections, and what is settled with them on either side."""
    more = round(AROUND_S * rate_hz)
    return Window(within.from_frame - more, within.to_frame + more)
