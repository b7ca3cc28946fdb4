"""The joins of a comp in the recorded sound: found where there is none, and looked at closely."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID

from fatsignal.acts.piece_sources import sources_of
from fatsignal.core.clip import Samples
from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.edits import unjoined, with_border
from fatsignal.core.comp.pieces import CompPiece, Pieces
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.material.material import whole
from fatsignal.core.takes.windows import Window
from fatsignal.core.units import amplitude_from_db
from fatsignal.errors import FileRefused
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import takes
from fatsignal.store.database import Connection

if TYPE_CHECKING:
    from fatsignal.core.comp.joins import JoinPoint

# Around a border so much is looked at: as far as it may move, and what rings on beyond.
_LOOKED_AT_S = 0.4


async def join_up(conn: Connection, comp: Comp, sessions_folder: Path, *, rate_hz: int) -> Comp:
    """A comp whose borders without a crossfade have one, where the sound says it is best."""
    if not unjoined(comp.pieces):
        return comp
    sounds = await sounds_of_pieces(conn, comp.pieces, sessions_folder)
    return with_pieces(comp, await asyncio.to_thread(_joined, comp.pieces, sounds, rate_hz))


async def sounds_of_pieces(conn: Connection, pieces: Pieces, sessions_folder: Path) -> dict[UUID, MaterialOnDisk]:
    """What pieces are cut from, each from frame 0 of its own on; takes that are gone are left out."""
    ids = sorted({piece.take_id for piece in pieces})
    known, channels = await takes.takes_by_id(conn, ids), await takes.channels_of(conn, ids)
    rate_hz = next((take.rate_hz for take in known.values()), 1)
    return {
        source_id: MaterialOnDisk(whole(source, first_frame=0, rate_hz=rate_hz), files)
        for source_id, (source, files) in (await sources_of(pieces, known, channels, sessions_folder)).items()
    }


def _joined(pieces: Pieces, sounds: Mapping[UUID, MaterialOnDisk], rate_hz: int) -> Pieces:
    for number in unjoined(pieces):
        sides = both_sides(pieces, number, sounds, rate_hz)
        if sides is not None:
            best = points_between(sides, pieces[number].place.from_frame, rate_hz)[0]
            pieces = with_border(pieces, number, best.frame, best.join)
    return pieces


@dataclass(frozen=True, slots=True)
class BothSides:
    """Both takes around a border, channel by channel from `from_frame` of the session on; both have sound from `first`
    up to `last`, and no crossfade may reach beyond.
    """

    before: dict[Channel, Samples]
    after: dict[Channel, Samples]
    from_frame: int
    first: int
    last: int


def both_sides(
    pieces: Pieces, number: int, sounds: Mapping[UUID, MaterialOnDisk], rate_hz: int
) -> BothSides | None:  # fmt: skip
    """The takes on either side of the border before one of the pieces; None where a file is away, or nothing of them
    can be joined.
    """
    before, after = pieces[number - 1], pieces[number]
    if before.source_id not in sounds or after.source_id not in sounds:
        return None
    border = after.place.from_frame
    looked_at = round(_LOOKED_AT_S * rate_hz)
    start = border - looked_at
    try:
        ours, theirs = (_read(piece, sounds[piece.source_id], start, 2 * looked_at) for piece in (before, after))
    except (FileRefused, OSError):
        return None
    if not ours.keys() & theirs.keys():
        return None
    # A fade reaches no farther than either take was recorded, or past the middle of the other's piece.
    first = max(start, _recorded(before, sounds).from_frame, _recorded(after, sounds).from_frame, _middle(before))
    last = min(
        start + 2 * looked_at, _recorded(before, sounds).to_frame, _recorded(after, sounds).to_frame, _middle(after)
    )
    return BothSides(ours, theirs, start, first, last) if last - first >= 2 else None


def points_between(sides: BothSides, border: int, rate_hz: int) -> "list[JoinPoint]":
    """Borders near one of the session's frames, the best first; there is at least one."""
    # What looks for strokes takes longer to load than all else of the server.
    from fatsignal.core.comp.joins import find_joins

    start = sides.from_frame
    points = find_joins(
        sides.before, sides.after, wanted=border - start, first=sides.first - start, last=sides.last - start,
        rate_hz=rate_hz,
    )  # fmt: skip
    return [replace(point, frame=point.frame + start) for point in points]


def _recorded(piece: CompPiece, sounds: Mapping[UUID, MaterialOnDisk]) -> Window:
    """All of a piece's take, on the time line as the piece lies."""
    return Window(piece.origin, piece.origin + sounds[piece.source_id].material.frames)


def _middle(piece: CompPiece) -> int:
    return (piece.place.from_frame + piece.place.to_frame) // 2


def _read(piece: CompPiece, sound: MaterialOnDisk, from_frame: int, frames: int) -> dict[Channel, Samples]:
    """Every channel of a piece's take, by frames of the session as the piece lies, as loud as it is."""
    at = sound.material.first_frame + from_frame - piece.origin
    gain = amplitude_from_db(piece.gain_db)
    with sound.reader() as reader:
        return {channel: gain * reader.read(Wanted.exactly(channel), at, frames) for channel in sound.material.channels}
