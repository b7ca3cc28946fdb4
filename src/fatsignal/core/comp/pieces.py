"""Pieces of a comp: which take plays where, and the rules that hold whatever is done with them.

They lie in the order of the song and never overlap; nothing outside an edit changes; all channels of a take stay
together, because a piece names no channel. Two that meet and go on as they were recorded are one piece, so that a take
that was cut and joined back is that take, bit for bit.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from uuid import UUID

from fatsignal.core.easing.easing import Easing
from fatsignal.core.material.channels import Channel
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

# No mix needs more, and a slip of a finger on a rule shall not blow anybody's ears.
LARGEST_GAIN_DB = 24.0
# As far from where it is wanted a border may be moved to where nobody hears it.
REACH_S = 0.12


@dataclass(frozen=True, slots=True)
class Join:
    """How a piece begins where another ends: a crossfade whose middle lies on the border.

    `alike` are the correlations of the two sides there, by channel: the curves follow from them. `look` says what may
    be heard of it; empty where it is clean.
    """

    frames: int
    alike: tuple[tuple[Channel, float], ...] = ()
    look: str = ""

    def __post_init__(self) -> None:
        if self.frames < 2 or self.frames % 2:
            raise InvalidSetting(f"a crossfade of {self.frames} samples is none: give it an even number from 2 on")


@dataclass(frozen=True, slots=True, kw_only=True)
class CompPiece:
    """A stretch of a take: frame `take_frame` of its files sounds at `place.from_frame` of the session.

    Of a take that is eased, frames are those of the eased take (`core/easing`). `moved_frames` says by how much it lies
    later than it was recorded, `lifted` whether it is a copy from elsewhere; `by_hand` whether a person chose it; `why`
    is what the program said when it chose. `join` is how it begins where another piece ends; None: as any edge does.
    """

    take_id: UUID
    take_frame: int
    place: Window
    gain_db: float = 0.0
    moved_frames: int = 0
    lifted: bool = False
    by_hand: bool = True
    why: str = ""
    join: Join | None = None
    easing: Easing | None = None

    def __post_init__(self) -> None:
        if self.place.frames <= 0:
            raise InvalidSetting("a piece has no length; it must hold at least one sample")
        if not abs(self.gain_db) <= LARGEST_GAIN_DB:
            raise InvalidSetting(f"a piece can be turned up or down by at most {LARGEST_GAIN_DB:.0f} dB")

    @property
    def source_id(self) -> UUID:
        """What it is read from: its take, or what was made of it."""
        return self.take_id if self.easing is None else self.easing.source_id(self.take_id)

    @property
    def of_take(self) -> Window:
        """What of the take it is."""
        return Window(self.take_frame, self.take_frame + self.place.frames)

    @property
    def origin(self) -> int:
        """The frame of the song at which frame 0 of what it is read from lies."""
        return self.place.from_frame - self.take_frame

    def sounds_at(self, recorded_frame: int) -> int:
        """The frame of the song at which a frame of the take's files sounds, also beyond the ends of the piece."""
        return self.origin + (recorded_frame if self.easing is None else self.easing.sounds_at(recorded_frame))

    def within(self, span: Window) -> "CompPiece | None":
        """What of it lies in `span`."""
        first = max(self.place.from_frame, span.from_frame)
        last = min(self.place.to_frame, span.to_frame)
        if first >= last:
            return None
        cut = first - self.place.from_frame
        # What begins elsewhere begins otherwise.
        join = None if cut else self.join
        return replace(self, take_frame=self.take_frame + cut, place=Window(first, last), join=join)

    def without(self, span: Window) -> "list[CompPiece]":
        """What of it lies before and after `span`."""
        around = (
            Window(self.place.from_frame, min(self.place.to_frame, span.from_frame)),
            Window(max(self.place.from_frame, span.to_frame), self.place.to_frame),
        )
        return [left for side in around if (left := self.within(side)) is not None]

    def moved(self, by_frames: int) -> "CompPiece":
        """The same sound, later in the song."""
        return replace(self, place=self.place.moved(by_frames), moved_frames=self.moved_frames + by_frames)

    def sounds_on_in(self, other: "CompPiece") -> bool:
        """Whether `other` is what comes next in the same recording, as loud: nobody would hear where it begins."""
        return self.place.to_frame == other.place.from_frame and self.ends == other.begins

    @property
    def begins(self) -> tuple[UUID, int, float]:
        """What it begins with: a recording, a frame of it, and how loud."""
        return *self._recorded(self.take_frame), self.gain_db

    @property
    def ends(self) -> tuple[UUID, int, float]:
        """What would go on where it ends."""
        return *self._recorded(self.of_take.to_frame), self.gain_db

    def _recorded(self, frame: int) -> tuple[UUID, int]:
        """A moment of what it is read from: around what an easing changes, that is the take itself."""
        if self.easing is None or frame <= self.easing.sounds.from_frame:
            return self.take_id, frame
        if frame >= self.easing.sounds.to_frame:
            return self.take_id, frame - self.easing.later
        return self.source_id, frame

    def goes_on_in(self, other: "CompPiece") -> bool:
        """Whether `other` sounds on and is told of in the same words: both are one piece."""
        return self.sounds_on_in(other) and replace(self, take_frame=0, place=other.place, join=None) == replace(
            other, take_frame=0, join=None
        )


Pieces = tuple[CompPiece, ...]


def in_order(pieces: Iterable[CompPiece]) -> Pieces:
    """In the order of the song, what goes on as it was recorded made one; they must not overlap."""
    kept: list[CompPiece] = []
    for piece in sorted(pieces, key=lambda piece: piece.place):
        if kept and piece.place.from_frame < kept[-1].place.to_frame:
            raise InvalidSetting("two pieces of a comp lie over each other")
        if kept and kept[-1].goes_on_in(piece):
            kept[-1] = replace(kept[-1], place=Window(kept[-1].place.from_frame, piece.place.to_frame))
        else:
            kept.append(piece)
    return tuple(kept)


def within(pieces: Iterable[CompPiece], span: Window) -> Pieces:
    """What of the pieces lies in `span`."""
    return tuple(left for piece in pieces if (left := piece.within(span)) is not None)


def cleared(pieces: Iterable[CompPiece], span: Window) -> Pieces:
    """Pieces with a hole where `span` is."""
    return in_order(left for piece in pieces for left in piece.without(span))


def laid(pieces: Iterable[CompPiece], more: CompPiece) -> Pieces:
    """Pieces with one more over them: where it lies, it alone sounds."""
    return in_order([*cleared(pieces, more.place), more])


def laid_under(pieces: Iterable[CompPiece], more: CompPiece) -> Pieces:
    """Pieces with one more under them: it sounds where nothing else does."""
    there = tuple(pieces)
    left = [more]
    for piece in there:
        left = [part for each in left for part in each.without(piece.place)]
    return in_order([*there, *left])


def holes(pieces: Iterable[CompPiece], span: Window) -> tuple[Window, ...]:
    """Where in `span` nothing lies."""
    at, found = span.from_frame, []
    for piece in in_order(within(pieces, span)):
        if piece.place.from_frame > at:
            found.append(Window(at, piece.place.from_frame))
        at = piece.place.to_frame
    if at < span.to_frame:
        found.append(Window(at, span.to_frame))
    return tuple(found)
