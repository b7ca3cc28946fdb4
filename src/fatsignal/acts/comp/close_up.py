"""One join looked at closely, heard with and without its fade, and set by hand."""

import asyncio
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID

from fatsignal.acts.comp.edit import Editing, editing
from fatsignal.acts.comp.joins import BothSides, both_sides, points_between, sounds_of_pieces
from fatsignal.acts.comp.rigs import RigsDiffer, rigs_differ
from fatsignal.acts.part_sound import pieces_of_part, sound_of_comp
from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.edits import with_border
from fatsignal.core.comp.pieces import Join, Pieces
from fatsignal.core.material.channels import Channel
from fatsignal.core.material.material import edge_fade
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import parts, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session

if TYPE_CHECKING:
    from fatsignal.core.comp.joins import JoinPoint
    from fatsignal.core.level.waveform_peaks import Columns

LEAST_MS, MOST_MS = 1.0, 80.0
# Drawn are so many seconds on either side of a border, in so many columns.
_DRAWN_S, _COLUMNS = 0.2, 600
_CURVE_POINTS = 33
_HEARD_S = 1.2
NO_SOUND = (
    "one of the two takes has no sound here that could be joined: its file is away, or it was not recorded so far"
)


@dataclass(frozen=True, slots=True)
class ChannelSides:
    """One channel of both takes as it is drawn, each side in 127ths of the louder one's peak, shape (columns, 2), and
    the gains of both sides over the fade, shape (points,).
    """

    channel: Channel
    before: "Columns"
    after: "Columns"
    closes: list[float]
    opens: list[float]
    alike: float


@dataclass(frozen=True, slots=True)
class CloseUp:
    """A join, what is drawn of it, how far it may be moved, and others to try, the best first."""

    drawn: Window
    movable: Window
    take_ids: tuple[UUID, UUID]
    point: "JoinPoint"
    channels: list[ChannelSides]
    others: "list[JoinPoint]"
    rate_hz: int
    rigs: RigsDiffer | None = None


async def close_up(conn: Connection, part_id: UUID, frame: int, sessions_folder: Path) -> CloseUp:
    """The join at a frame of the session.

    Raises
    ------
    InvalidSetting
        If there is none, or one of its takes cannot be read.
    """
    session, pieces = await _sounding(conn, part_id)
    number = _number_at(pieces, frame)
    sounds = await sounds_of_pieces(conn, pieces[number - 1 : number + 1], sessions_folder)
    found = await asyncio.to_thread(_looked_at, pieces, number, sounds, session.rate_hz)
    one, other = [await takes.get_take(conn, take_id) for take_id in found.take_ids]
    return replace(found, rigs=await rigs_differ(conn, one, other, session, sessions_folder))


async def join_heard(
    conn: Connection, part_id: UUID, frame: int, sessions_folder: Path, *, plain: bool
) -> tuple[MaterialOnDisk, Window]:
    """What sounds around a join, and from where to where; `plain` without its fade: one take simply stops there."""
    session, pieces = await _sounding(conn, part_id)
    number = _number_at(pieces, frame)
    if plain:
        hard = replace(
            pieces[number], join=Join(2, tuple((channel, 1.0) for channel, _ in _alike(pieces[number].join)))
        )
        pieces = (*pieces[:number], hard, *pieces[number + 1 :])
    sound = await sound_of_comp(conn, part_id, with_pieces(Comp(), pieces), sessions_folder)
    if sound is None:
        raise InvalidSetting(NO_SOUND)
    around = round(_HEARD_S * session.rate_hz)
    return sound, Window(max(sound.material.first_frame, frame - around), frame + around)


async def set_join(
    conn: Connection, part_id: UUID, frame: int, to_frame: int, fade_ms: float, sessions_folder: Path
) -> None:
    """Let the join at a frame lie elsewhere, with a crossfade of so many milliseconds.

    Raises
    ------
    InvalidSetting
        If there is none, or either take has no sound where the fade would be.
    """

    def says(of: Editing) -> str:
        return f"{of.part.name}: join in {of.in_bars(Window(to_frame, to_frame + 1))} set, {fade_ms:.0f} ms"

    async with editing(conn, part_id, sessions_folder, kind="set join", says=says) as of:
        of.settle(Window(frame - 1, frame + 1))
        pieces, rate_hz = of.comp.pieces, of.session.rate_hz
        number = _number_at(pieces, frame)
        sounds = await sounds_of_pieces(conn, pieces[number - 1 : number + 1], sessions_folder)
        sides = await asyncio.to_thread(both_sides, pieces, number, sounds, rate_hz)
        if sides is None:
            raise InvalidSetting(NO_SOUND)
        frames = max(2, 2 * round(fade_ms / 1000 * rate_hz / 2))
        if to_frame - frames // 2 < sides.first or to_frame + frames // 2 > sides.last:
            raise InvalidSetting(
                "one of the two takes has no more sound there: move the join less far, or make it shorter"
            )
        point = await asyncio.to_thread(_point, sides, to_frame, frames, rate_hz)
        of.comp = with_pieces(of.comp, with_border(pieces, number, to_frame, point.join))


async def _sounding(conn: Connection, part_id: UUID) -> tuple[Session, Pieces]:
    part = await parts.get_part(conn, part_id)
    return await sessions.get_session(conn, part.session_id), await pieces_of_part(conn, part_id)


def _number_at(pieces: Pieces, frame: int) -> int:
    """Which piece begins with the join at a frame."""
    for number, (before, after) in enumerate(pairwise(pieces), start=1):
        if after.place.from_frame == frame == before.place.to_frame:
            return number
    raise InvalidSetting("there is no join at this place any more: the comp was changed meanwhile")


def _alike(join: Join | None) -> tuple[tuple[Channel, float], ...]:
    return join.alike if join is not None else ()


def _looked_at(pieces: Pieces, number: int, sounds: dict[UUID, MaterialOnDisk], rate_hz: int) -> CloseUp:
    sides = both_sides(pieces, number, sounds, rate_hz)
    if sides is None:
        raise InvalidSetting(NO_SOUND)
    before, after = pieces[number - 1], pieces[number]
    border = after.place.from_frame
    fade = after.join or Join(edge_fade(after.place, rate_hz=rate_hz).frames)
    point = _point(sides, border, fade.frames, rate_hz)
    shown = replace(point, join=after.join) if after.join else point
    half = round(_DRAWN_S * rate_hz)
    drawn = Window(border - half, border + half)
    alike = dict(_alike(shown.join))
    channels = [
        _sides_of(channel, sides, drawn, alike.get(channel, 0.0)) for channel in sides.before if channel in sides.after
    ]
    others = points_between(sides, border, rate_hz)
    return CloseUp(
        drawn, Window(sides.first, sides.last), (before.take_id, after.take_id), shown, channels, others, rate_hz
    )  # fmt: skip


def _point(sides: BothSides, frame: int, frames: int, rate_hz: int) -> "JoinPoint":
    from fatsignal.core.comp.joins import join_at

    start = sides.from_frame
    point = join_at(sides.before, sides.after, frame=frame - start, frames=frames, rate_hz=rate_hz)
    return replace(point, frame=frame)


def _sides_of(channel: Channel, sides: BothSides, drawn: Window, alike: float) -> ChannelSides:
    import numpy as np

    from fatsignal.core.level.waveform_peaks import columns
    from fatsignal.core.material.reader import crossfade

    at = slice(drawn.from_frame - sides.from_frame, drawn.to_frame - sides.from_frame)
    both = np.stack([sides.before[channel][at], sides.after[channel][at]], axis=1)
    peak = float(np.abs(both).max(initial=0.0))
    drawn_sides = columns(both / peak if peak else both, frames_per_column=max(1, len(both) // _COLUMNS))
    share = np.linspace(0.0, 1.0, _CURVE_POINTS)
    opens, closes = crossfade(share, alike), crossfade(1 - share, alike)
    return ChannelSides(
        channel, drawn_sides[0], drawn_sides[1], [round(float(g), 4) for g in closes],
        [round(float(g), 4) for g in opens], alike,
    )  # fmt: skip
