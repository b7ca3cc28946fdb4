"""Changing a part's comp: as an act, on what it is by then, with joins found in the recorded sound."""

import asyncio
from collections.abc import AsyncIterator, Callable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import UUID, uuid4

from fatsignal.acts.materials import material_of_take, played
from fatsignal.core.clip import Samples
from fatsignal.core.comp.comp import Comp, with_pieces, with_seen
from fatsignal.core.comp.edits import AROUND_S, give_back, make_hole, trimmed, unjoined, use_take, with_border
from fatsignal.core.comp.pieces import CompPiece, Pieces
from fatsignal.core.comp.sheet import in_bars
from fatsignal.core.material.channels import Channel, Wanted
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window, touches
from fatsignal.core.units import amplitude_from_db
from fatsignal.errors import FileRefused, InvalidSetting
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.store import comps, history, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

if TYPE_CHECKING:
    from fatsignal.core.comp.joins import JoinPoint

FIRST_NAME = "Comp 1"
# Around a border so much is looked at: as far as it may move, and what rings on beyond.
_LOOKED_AT_S = 0.4


@dataclass(slots=True)
class Editing:
    """A comp under change, and what its rules ask for."""

    session: Session
    part: Part
    comp: Comp
    newest_first: list[Played]
    numbers: dict[UUID, int]
    # The sections of the session in frames, by their ids.
    sections: dict[UUID, Window]
    touched: Window | None = field(default=None)

    def take(self, take_id: UUID) -> Played:
        found = next((take for take in self.newest_first if take.take_id == take_id), None)
        if found is None:
            raise InvalidSetting("this take is not one of the part, or is in the bin: bring it back first")
        return found

    def in_bars(self, span: Window) -> str:
        """A span in words; a border may lie some way beyond its bar line."""
        return in_bars(self.session.tempo, span, slack_frames=round(AROUND_S / 4 * self.session.rate_hz))

    def near(self, span: Window) -> list[UUID]:
        """The sections that a span lies in."""
        return [section_id for section_id, each in self.sections.items() if touches([each], span)]

    def sections_of(self, span: Window) -> Window:
        """From the first to the last section that a span lies in; beyond all of them the span itself."""
        near = [self.sections[each] for each in self.near(span)]
        return Window(
            min([span.from_frame, *(each.from_frame for each in near)]),
            max([span.to_frame, *(each.to_frame for each in near)]),
        )


@asynccontextmanager
async def editing(
    conn: Connection, part_id: UUID, sessions_folder: Path, *, kind: str, says: Callable[[Editing], str]
) -> AsyncIterator[Editing]:
    """Change `comp` of what this gives: it is joined where it needs to be, and kept, as one act."""
    part = await parts.get_part(conn, part_id)
    current = await comps.current_of_part(conn, part_id)
    comp_id = current.id if current else uuid4()
    scope: history.Scope = {"comp": [comp_id], "part": [part_id]}
    async with history.act(conn, part.session_id, kind=kind, says=kind, scope=scope) as act:
        current = await comps.current_of_part(conn, part_id)
        if current is not None and current.id != comp_id:
            raise InvalidSetting("another version of the comp was chosen meanwhile: look at it, and do it again")
        before = current.comp if current else Comp()
        under_change = await _begun(conn, part, before)
        yield under_change
        comp = await _joined_up(conn, under_change, before, sessions_folder)
        act.says = says(under_change)
        if current is None:
            await comps.add_comp(conn, comp_id, part_id, name=FIRST_NAME, comp=comp)
            await comps.set_current(conn, part_id, comp_id)
        else:
            await comps.set_comp(conn, comp_id, comp)


async def _begun(conn: Connection, part: Part, comp: Comp) -> Editing:
    session, kept = await sessions.get_session(conn, part.session_id), await takes.kept_of_part(conn, part.id)
    return Editing(
        session, part, comp, [played(take) for take in kept], {take.id: take.number for take in kept},
        {
            each.id: Window(
                session.tempo.bar_frame(each.first_bar), session.tempo.bar_frame(each.first_bar + each.bars)
            )
            for each in await sections.list_sections(conn, session.id)
        },
    )  # fmt: skip


async def _joined_up(conn: Connection, of: Editing, before: Comp, sessions_folder: Path) -> Comp:
    """What was made of a comp, joined, with nothing settled that need not be."""
    if of.touched is None:
        return of.comp
    comp = await join_up(conn, of.comp, sessions_folder, rate_hz=of.session.rate_hz)
    comp = trimmed(comp, before, of.newest_first, within=of.touched, rate_hz=of.session.rate_hz)
    return with_seen(comp, of.near(of.touched), max(of.numbers.values(), default=0))


async def tried(
    conn: Connection, part_id: UUID, take_id: UUID, span: Window, sessions_folder: Path
) -> tuple[Session, Comp]:
    """What the comp would be with a take used somewhere; nothing is kept."""
    part, current = await parts.get_part(conn, part_id), await comps.current_of_part(conn, part_id)
    before = current.comp if current else Comp()
    of = await _begun(conn, part, before)
    _use(of, take_id, span)
    return of.session, await _joined_up(conn, of, before, sessions_folder)


def _use(of: Editing, take_id: UUID, span: Window) -> None:
    of.touched = of.sections_of(span)
    of.comp = use_take(of.comp, of.take(take_id), span, of.newest_first, within=of.touched, rate_hz=of.session.rate_hz)


async def use(conn: Connection, part_id: UUID, take_id: UUID, span: Window, sessions_folder: Path) -> None:
    """Let a take sound somewhere."""

    def says(of: Editing) -> str:
        return f"{of.part.name}: take {of.numbers[take_id]} used in {of.in_bars(span)}"

    async with editing(conn, part_id, sessions_folder, kind="use take", says=says) as of:
        _use(of, take_id, span)


async def clear(conn: Connection, part_id: UUID, span: Window, sessions_folder: Path) -> None:
    """Let nothing sound somewhere."""

    def says(of: Editing) -> str:
        return f"{of.part.name}: {of.in_bars(span)} emptied"

    async with editing(conn, part_id, sessions_folder, kind="make hole", says=says) as of:
        of.touched = of.sections_of(span)
        of.comp = make_hole(of.comp, span, of.newest_first, within=of.touched, rate_hz=of.session.rate_hz)


async def follow_takes(conn: Connection, part_id: UUID, span: Window, sessions_folder: Path) -> None:
    """Give the sections that a span lies in back to the takes: starred before unmarked, newest first."""

    def says(of: Editing) -> str:
        return f"{of.part.name}: {of.in_bars(of.sections_of(span))} follow the takes again"

    async with editing(conn, part_id, sessions_folder, kind="follow takes", says=says) as of:
        of.comp = give_back(of.comp, of.sections_of(span), rate_hz=of.session.rate_hz)


async def join_up(conn: Connection, comp: Comp, sessions_folder: Path, *, rate_hz: int) -> Comp:
    """A comp whose borders without a crossfade have one, where the sound says it is best."""
    if not unjoined(comp.pieces):
        return comp
    sounds = await sounds_of_pieces(conn, comp.pieces, sessions_folder)
    return with_pieces(comp, await asyncio.to_thread(_joined, comp.pieces, sounds, rate_hz))


async def sounds_of_pieces(conn: Connection, pieces: Pieces, sessions_folder: Path) -> dict[UUID, MaterialOnDisk]:
    """The takes that pieces are cut from, each from frame 0 of its own files on; those that are gone are left out."""
    ids = sorted({piece.take_id for piece in pieces})
    known, channels = await takes.takes_by_id(conn, ids), await takes.channels_of(conn, ids)
    return {take.id: material_of_take(take, channels[take.id], sessions_folder) for take in known.values()}


def _joined(pieces: Pieces, sounds: Mapping[UUID, MaterialOnDisk], rate_hz: int) -> Pieces:
    for number in unjoined(pieces):
        points = points_at(pieces, number, sounds, rate_hz)
        if points:
            pieces = with_border(pieces, number, points[0].frame, points[0].join)
    return pieces


def points_at(pieces: Pieces, number: int, sounds: Mapping[UUID, MaterialOnDisk], rate_hz: int) -> "list[JoinPoint]":
    """Borders before one of the pieces, the best first, by frames of the session; none where a file is away."""
    # What looks for strokes takes longer to load than all else of the server.
    from fatsignal.core.comp.joins import find_joins

    before, after = pieces[number - 1], pieces[number]
    if before.take_id not in sounds or after.take_id not in sounds:
        return []
    border = after.place.from_frame
    looked_at = round(_LOOKED_AT_S * rate_hz)
    start = border - looked_at
    try:
        sides = [_read(piece, sounds[piece.take_id], start, 2 * looked_at) for piece in (before, after)]
    except (FileRefused, OSError):
        return []
    if not sides[0].keys() & sides[1].keys():
        return []
    # A fade reaches no farther than either take was recorded, or past the middle of the other's piece.
    first, last = (
        max(_recorded(before, sounds).from_frame, _recorded(after, sounds).from_frame, _middle(before)) - start,
        min(_recorded(before, sounds).to_frame, _recorded(after, sounds).to_frame, _middle(after)) - start,
    )
    first, last = max(0, first), min(2 * looked_at, last)
    if last - first < 2:
        return []
    points = find_joins(*sides, wanted=border - start, first=first, last=last, rate_hz=rate_hz)
    return [replace(point, frame=point.frame + start) for point in points]


def _recorded(piece: CompPiece, sounds: Mapping[UUID, MaterialOnDisk]) -> Window:
    """All of a piece's take, on the time line as the piece lies."""
    begins = piece.place.from_frame - piece.take_frame
    return Window(begins, begins + sounds[piece.take_id].material.frames)


def _middle(piece: CompPiece) -> int:
    return (piece.place.from_frame + piece.place.to_frame) // 2


def _read(piece: CompPiece, sound: MaterialOnDisk, from_frame: int, frames: int) -> dict[Channel, Samples]:
    """Every channel of a piece's take, by frames of the session as the piece lies, as loud as it is."""
    at = sound.material.first_frame + piece.take_frame + from_frame - piece.place.from_frame
    gain = amplitude_from_db(piece.gain_db)
    with sound.reader() as reader:
        return {channel: gain * reader.read(Wanted.exactly(channel), at, frames) for channel in sound.material.channels}
