"""How loud the pieces of a comp are beside their neighbours, measured in the recorded sound."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import material_of_take
from fatsignal.acts.part_sound import pieces_of_part, sound_of_part
from fatsignal.core.clip import Clip
from fatsignal.core.comp.levels import OFF_DB, SECOND_S, excess_db, in_words, offsets_db, step_db
from fatsignal.core.comp.pieces import CompPiece, Pieces
from fatsignal.core.material.channels import HEARD_FIRST, Wanted, first_of
from fatsignal.core.takes.windows import Window, holds
from fatsignal.errors import FileRefused
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import takes
from fatsignal.store.database import Connection

# Of many takes the newest say how a passage goes as well as all.
_MOST_TAKES = 12
_SHORTEST_S, _APART_S = 0.25, 0.1
VERSION = 2


@dataclass(frozen=True, slots=True)
class ToLevel:
    """What a part sounds like, its pieces, and the takes that say how it goes."""

    sound: MaterialOnDisk | None
    pieces: Pieces
    # Each with the windows in which it is used: around them nothing need have been played.
    others: tuple[tuple[MaterialOnDisk, tuple[Window, ...]], ...]

    def fingerprint(self) -> str:
        """Of all that the levels follow from."""
        told: list[object] = [] if self.sound is None else [self.sound.material.fingerprint, *self.sound.material.span]
        for other, windows in self.others:
            told += [other.material.fingerprint, *other.material.span, windows]
        return hashlib.sha256(repr([VERSION, told]).encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class PieceLevel:
    """A piece that drops or jumps: by how much it is louder than it should be, and that in words."""

    take_id: UUID
    place: Window
    off_db: float
    says: str


async def load_levels(conn: Connection, part_id: UUID, sessions_folder: Path) -> ToLevel:
    """What is to be measured of a part."""
    kept = await takes.kept_of_part(conn, part_id)
    pieces = await pieces_of_part(conn, part_id)
    sound = await sound_of_part(conn, part_id, sessions_folder)
    near = [take for take in kept if take.rating != "struck"][:_MOST_TAKES]
    channels = await takes.channels_of(conn, [take.id for take in near])
    others = tuple((material_of_take(take, channels[take.id], sessions_folder), take.windows) for take in near)
    return ToLevel(sound, pieces, others)


def levels_off(loaded: ToLevel) -> list[PieceLevel]:
    """The pieces that are off by what is heard, in the order of the song."""
    if loaded.sound is None:
        return []
    heard = first_of(loaded.sound.material.channels, HEARD_FIRST)
    wanted = Wanted() if heard is None else Wanted.exactly(heard)
    rate_hz = loaded.sound.material.rate_hz
    # Of a moment nobody hears how loud it is.
    pieces = [piece for piece in loaded.pieces if piece.place.frames >= _SHORTEST_S * rate_hz]
    excess = [
        _excess(one, other, loaded, wanted, rate_hz) for one, other in pairwise(pieces)
    ]  # fmt: skip
    offsets = offsets_db([piece.place.frames / rate_hz for piece in pieces], excess)
    return [
        PieceLevel(piece.take_id, piece.place, round(off, 1), in_words(off))
        for piece, off in zip(pieces, offsets, strict=True)
        if off is not None and abs(off) >= OFF_DB
    ]


def _excess(
    piece: CompPiece, following: CompPiece, loaded: ToLevel, wanted: Wanted, rate_hz: int
) -> float | None:  # fmt: skip
    one, other = piece.place, following.place
    if other.from_frame - one.to_frame > _APART_S * rate_hz:
        return None
    if piece.sounds_on_in(following):
        return 0.0
    assert loaded.sound is not None, "it was looked at"
    of_takes = list(_steps(loaded.others, one, other, wanted, rate_hz))
    return excess_db(_step(loaded.sound, one, other, wanted, rate_hz), of_takes)


def _steps(
    others: tuple[tuple[MaterialOnDisk, tuple[Window, ...]], ...],
    one: Window,
    other: Window,
    wanted: Wanted,
    rate_hz: int,
) -> Iterator[float | None]:
    for take, windows in others:
        if holds(windows, Window(*_seconds(one, other, rate_hz))):
            yield _step(take, one, other, wanted, rate_hz)


def _seconds(one: Window, other: Window, rate_hz: int) -> tuple[int, int]:
    """From a second before a border to a second after it, or as long as both pieces are."""
    second, border = round(SECOND_S * rate_hz), other.from_frame
    return max(one.from_frame, border - second), min(other.to_frame, border + second)


def _step(sound: MaterialOnDisk, one: Window, other: Window, wanted: Wanted, rate_hz: int) -> float | None:
    # What measures loudness loads scipy.
    from fatsignal.core.level.loudness import ungated_loudness_lufs

    first, last = _seconds(one, other, rate_hz)
    border = other.from_frame
    try:
        with sound.reader() as reader:
            before, after = (reader.read(wanted, *each) for each in ((first, border - first), (border, last - border)))
    except (FileRefused, OSError):
        return None
    return step_db(*(ungated_loudness_lufs(Clip(each[:, None], rate_hz)) for each in (before, after)))
