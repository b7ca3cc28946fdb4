"""What is done to what sounds in a range of a comp: moved, made louder or softer, copied elsewhere.

A range is cut out where it is meant, or at a border that lies near: a border that the program moved to where nobody
hears it still is the border that a person means.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from uuid import UUID

from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.edits import fresh
from fatsignal.core.comp.pieces import REACH_S, CompPiece, Pieces, cleared, in_order, laid, laid_under, within
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

# What of a take was recorded, in frames of its files, by the take; one that is not known has no end.
Recorded = Mapping[UUID, Window]


def picked(pieces: Pieces, span: Window, *, rate_hz: int) -> Pieces:
    """What sounds in a range, cut out of the pieces.

    Raises
    ------
    InvalidSetting
        If nothing does.
    """
    found = within(pieces, _to_borders(pieces, span, rate_hz))
    if not found:
        raise InvalidSetting("nothing sounds there: use a take first")
    return found


def move_span(
    comp: Comp, span: Window, by_frames: int, *, recorded: Recorded, song: Window, rate_hz: int
) -> Comp:  # fmt: skip
    """A comp in which what sounds in `span` comes so many frames later.

    A little, as timing is put right, it moves beneath its outer borders: what was recorded before it or after it
    closes the gap. By more it goes with its borders, over what lies there, and leaves a hole.

    Raises
    ------
    InvalidSetting
        If nothing sounds there, or it would lie before the song's zero or past its end.
    """
    chosen = picked(comp.pieces, span, rate_hz=rate_hz)
    place = Window(chosen[0].place.from_frame, chosen[-1].place.to_frame)
    moved = [piece.moved(by_frames) for piece in chosen]
    if abs(by_frames) <= REACH_S * rate_hz:
        moved = [*_filling(moved, place, recorded)]
    else:
        _check_inside(place.moved(by_frames), song)
    pieces = cleared(comp.pieces, place)
    for piece in moved:
        pieces = laid(pieces, piece)
    return replace(with_pieces(comp, pieces), pieces=fresh(comp.pieces, pieces))


def lift(
    comp: Comp, chosen: Iterable[CompPiece], to_frame: int, *, song: Window, under: bool = False
) -> Comp:  # fmt: skip
    """A comp in which a copy of some pieces begins at `to_frame`: over what lies there, or only where nothing does.

    Raises
    ------
    InvalidSetting
        If there is none, or it would lie before the song's zero or past its end.
    """
    copied = in_order(chosen)
    if not copied:
        raise InvalidSetting("nothing sounds there that could be lifted: choose a range in which something does")
    by = to_frame - copied[0].place.from_frame
    _check_inside(Window(to_frame, copied[-1].place.to_frame + by), song)
    pieces = comp.pieces
    for piece in copied:
        lifted = replace(piece.moved(by), lifted=True, by_hand=True, why="", join=None)
        pieces = laid_under(pieces, lifted) if under else laid(pieces, lifted)
    return replace(with_pieces(comp, pieces), pieces=fresh(comp.pieces, pieces))


def louder_span(comp: Comp, span: Window, by_db: float, *, rate_hz: int) -> Comp:
    """A comp in which what sounds in `span` is louder; else as above."""
    chosen = picked(comp.pieces, span, rate_hz=rate_hz)
    pieces = comp.pieces
    for piece in chosen:
        # Rounded, so that what is taken back is exactly what was.
        pieces = laid(pieces, replace(piece, gain_db=round(piece.gain_db + by_db, 2)))
    return replace(comp, pieces=fresh(comp.pieces, pieces))


def _filling(moved: list[CompPiece], place: Window, recorded: Recorded) -> Iterable[CompPiece]:
    """Pieces that were moved a little, cut or lengthened at the outer ends so that they fill a place, as far as their
    takes were recorded.
    """
    last = len(moved) - 1
    for number, piece in enumerate(moved):
        whole = recorded.get(piece.take_id)
        # Of one that is not known, no more than is known to be there.
        whole = piece.place if whole is None else _as_eased(piece, whole).moved(piece.origin)
        first = max(place.from_frame, whole.from_frame) if number == 0 else piece.place.from_frame
        end = min(place.to_frame, whole.to_frame) if number == last else piece.place.to_frame
        first, end = max(first, place.from_frame), min(end, place.to_frame)
        if first < end:
            yield replace(piece, take_frame=first - piece.origin, place=Window(first, end))


def _as_eased(piece: CompPiece, recorded: Window) -> Window:
    """What there is of a take, in frames of the eased one."""
    later = 0 if piece.easing is None else piece.easing.later
    return Window(recorded.from_frame, recorded.to_frame + later)


def _to_borders(pieces: Pieces, span: Window, rate_hz: int) -> Window:
    """A span whose edges lie on the borders of pieces, where one is near."""
    borders = [edge for piece in pieces for edge in piece.place]
    # A range as short as a stroke is meant as it is.
    reach = min(REACH_S * rate_hz, span.frames / 4)

    def snapped(frame: int) -> int:
        nearest = min(borders, key=lambda border: abs(border - frame), default=frame)
        return nearest if abs(nearest - frame) <= reach else frame

    return Window(snapped(span.from_frame), snapped(span.to_frame))


def _check_inside(place: Window, song: Window) -> None:
    if place.from_frame < song.from_frame:
        raise InvalidSetting("it would begin before the zero of the song: move it less far")
    if place.to_frame > song.to_frame:
        raise InvalidSetting("it would end past the last section of the song: add bars in Song first, or move it less")
