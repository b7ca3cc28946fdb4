"""Changing a part's comp: as an act, on what it is by then, with joins found in the recorded sound."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from pathlib import Path
from uuid import UUID, uuid4

from fatsignal.acts.comp.joins import join_up
from fatsignal.acts.materials import played
from fatsignal.core.comp.comp import Comp, settled, with_seen
from fatsignal.core.comp.edits import AROUND_S, around, give_back, make_hole, trimmed, use_take
from fatsignal.core.comp.sheet import in_bars, window_of_bars
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window, touches
from fatsignal.errors import InvalidSetting
from fatsignal.store import comps, history, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session

FIRST_NAME = "Comp 1"


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

    def settle(self, span: Window) -> None:
        """Let the sections that a span lies in follow the takes no more, before a piece of them is changed."""
        self.touched = self.sections_of(span)
        edges = around(self.touched, self.session.rate_hz)
        self.comp = settled(self.comp, edges, self.newest_first)

    @property
    def song(self) -> Window:
        """From the zero to the end of the last section."""
        return Window(0, max((section.to_frame for section in self.sections.values()), default=1 << 40))

    def recorded(self) -> dict[UUID, Window]:
        """What was recorded of each take, in frames of its files."""
        return {
            take.take_id: take.recorded.moved(-take.begins) for take in self.newest_first if take.recorded is not None
        }


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


async def sections_at(conn: Connection, part_id: UUID, span: Window) -> list[UUID]:
    """The sections of a part's song that a span lies in."""
    return (await _begun(conn, await parts.get_part(conn, part_id), Comp())).near(span)


async def _begun(conn: Connection, part: Part, comp: Comp) -> Editing:
    session, kept = await sessions.get_session(conn, part.session_id), await takes.kept_of_part(conn, part.id)
    return Editing(
        session, part, comp, [played(take) for take in kept], {take.id: take.number for take in kept},
        {
            each.id: window_of_bars(session.tempo, each.first_bar, each.bars)
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
