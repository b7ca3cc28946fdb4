"""Single strokes of a comp put right in time and pitch, and passages brought to another tempo."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.pieces import CompPiece, Pieces, within
from fatsignal.core.comp.shifts import Recorded
from fatsignal.core.easing.easing import ATTACK_S, BEFORE_S, EasedStroke, Easing, apart, check_rings, ease, without
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

# What lies farther from where it was recorded was laid there, not moved.
_COPIED_S = 0.5
# The frames of its files at which a take is struck, by the take.
Struck = Mapping[UUID, Sequence[int]]


@dataclass(frozen=True, slots=True)
class SoundingStroke:
    """A stroke of a take where it sounds in the song now."""

    take_id: UUID
    frame: int
    stroke: EasedStroke


# What becomes of a stroke that sounds; None: it stays.
Change = Callable[[SoundingStroke], EasedStroke | None]


def sounding_strokes(piece: CompPiece, struck: Iterable[int], span: Window, *, rate_hz: int) -> list[SoundingStroke]:
    """The strokes of a piece that sound in a span, as they are eased already, those that can be eased by themselves."""
    eased = {each.take_frame: each for each in (piece.easing.strokes if piece.easing else ())}
    changes = piece.easing.changes if piece.easing else Window(0, 0)
    others = [frame for frame in struck if not changes.from_frame <= frame <= changes.to_frame]
    found = []
    for frame in apart([*eased, *others], first=[*eased], rate_hz=rate_hz):
        at = piece.sounds_at(frame)
        lies = eased.get(frame) or EasedStroke(frame, at - piece.origin - frame)
        if max(span.from_frame, piece.place.from_frame) <= at < min(span.to_frame, piece.place.to_frame):
            found.append(SoundingStroke(piece.take_id, at, lies))
    return found


def ease_span(
    comp: Comp, span: Window, change: Change, *, struck: Struck, recorded: Recorded, rate_hz: int
) -> Comp:  # fmt: skip
    """A comp in which the strokes that sound in a span are eased; borders of pieces stay where they are.

    Raises
    ------
    InvalidSetting
        If no stroke sounds there, nothing would change, or what rings between strokes cannot be stretched so far.
    """
    pieces, found, changed_any = list[CompPiece](), False, False
    for piece in comp.pieces:
        strokes = sounding_strokes(piece, struck.get(piece.take_id, ()), span, rate_hz=rate_hz)
        found = found or bool(strokes)
        changed = {
            each.stroke.take_frame: now
            for each in strokes
            if (now := change(each)) is not None and now != each.stroke
        }  # fmt: skip
        if changed:
            bounds = recorded.get(piece.take_id, Window(min(changed), max(changed)))
            easing = ease(
                piece.easing, struck.get(piece.take_id, ()), changed, bounds=bounds, rate_hz=rate_hz
            )  # fmt: skip
            piece, changed_any = replace(piece, easing=easing), True
        pieces.append(piece)
    if not found:
        raise InvalidSetting(
            "no clear stroke sounds there by itself: strokes that follow each other at once move together"
        )
    if not changed_any:
        raise InvalidSetting("these strokes lie so already: nothing was changed")
    return _with(comp, pieces, rate_hz)


def uneased(comp: Comp, span: Window, *, rate_hz: int) -> Comp | None:
    """A comp in which the strokes that sound in a span are where and as they were played; None where all are."""
    pieces = list[CompPiece]()
    for piece in comp.pieces:
        inside = piece.within(span)
        if inside is not None:
            own = inside.of_take
            # A passage that was brought to another tempo keeps its length.
            piece = replace(piece, easing=without(piece.easing, own))
        pieces.append(piece)
    if tuple(pieces) == comp.pieces:
        return None
    return _with(comp, pieces, rate_hz)


def at_other_tempo(
    pieces: Iterable[CompPiece], to: Callable[[int], int], *, struck: Struck, rate_hz: int
) -> Pieces:  # fmt: skip
    """Copies of pieces that sound where `to` says of every frame of theirs, what rings between strokes stretched.

    Raises
    ------
    InvalidSetting
        If it would have to be stretched too far.
    """
    return tuple(_at_other_tempo(piece, to, struck.get(piece.take_id, ()), rate_hz) for piece in pieces)


def _at_other_tempo(piece: CompPiece, to: Callable[[int], int], struck: Sequence[int], rate_hz: int) -> CompPiece:
    easing, (first, last) = piece.easing, piece.of_take
    inside = sounding_strokes(piece, struck, piece.place, rate_hz=rate_hz)
    cents = {each.stroke.take_frame: each.stroke.cents for each in inside}
    ends = (first, last) if easing is None else (easing.take_frame(first), easing.take_frame(last))
    # Its ends are stretched to as far as no stroke is near.
    frames = apart([*ends, *cents], first=[*cents], rate_hz=rate_hz)
    origin = to(piece.sounds_at(frames[0])) - frames[0]
    strokes = [
        EasedStroke(frame, to(piece.sounds_at(frame)) - frame - origin, cents.get(frame, 0.0)) for frame in frames
    ]
    start = to(piece.place.from_frame)
    lies = replace(
        piece, take_frame=start - origin, place=Window(start, to(piece.place.to_frame)),
        moved_frames=piece.moved_frames + start - piece.place.from_frame, easing=None, join=None,
    )  # fmt: skip
    if not any(each.by_frames or each.cents for each in strokes):
        return lies
    check_rings(strokes, rate_hz=rate_hz)
    return replace(lies, easing=Easing(tuple(strokes)))


def where_they_sound(
    take_id: UUID, begins: int, struck: Iterable[int], pieces: Iterable[CompPiece], *, rate_hz: int
) -> list[int]:
    """Frames of the song at which a take's strokes sound, one for each, or where they were recorded if they do not.

    `begins` is where the take lies, `struck` are frames of its files; what was lifted farther off is a copy.
    """
    own = [piece for piece in pieces if piece.take_id == take_id]
    found = []
    for frame in struck:
        at = begins + frame
        near = [
            sounds
            for piece in own
            if piece.place.from_frame <= (sounds := piece.sounds_at(frame)) < piece.place.to_frame
            and abs(sounds - at) <= _COPIED_S * rate_hz
        ]
        found.append(min(near, key=lambda sounds: abs(sounds - at), default=at))
    return found


def _with(comp: Comp, pieces: Sequence[CompPiece], rate_hz: int) -> Comp:
    """A comp with other easings. Borders and their joins stay, but for one that a moved attack has come into."""
    kept = list(pieces)
    for number, (old, piece) in enumerate(zip(comp.pieces, pieces, strict=True)):
        if old.easing == piece.easing:
            continue
        for after in (number, number + 1):
            border = kept[after] if after < len(kept) else None
            if border is None or border.join is None:
                continue
            near = border.join.frames // 2 + round((BEFORE_S + ATTACK_S) * rate_hz)
            span = Window(border.place.from_frame - near, border.place.from_frame + near)
            if any(span.from_frame < at < span.to_frame for each in (old, piece) for at, _ in _eased_at(each)):
                kept[after] = replace(border, join=None)
    return with_pieces(comp, kept)


def _eased_at(piece: CompPiece) -> list[tuple[int, EasedStroke]]:
    """The strokes of a piece that are eased, also beyond its ends, each with where it sounds in the song."""
    return [(piece.origin + stroke.sounds_at, stroke) for stroke in (piece.easing.eased if piece.easing else ())]


def eased_in(pieces: Iterable[CompPiece], span: Window) -> list[tuple[int, EasedStroke]]:
    """The strokes that are eased, of those that sound in a span, each with where it sounds in the song."""
    return [
        (at, stroke)
        for piece in within(pieces, span)
        for at, stroke in _eased_at(piece)
        if piece.place.from_frame <= at < piece.place.to_frame
    ]
