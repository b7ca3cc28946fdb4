"""The song sheet of a part as pages show it."""

from collections.abc import Callable
from functools import partial
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.sheet import sheet_line
from fatsignal.core.takes.counting import Played
from fatsignal.store import comps, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sections import Section
from fatsignal.store.sessions import Session
from fatsignal.web.presenters.sessions import SectionView


class BarView(BaseModel, from_attributes=True):
    number: int
    from_frame: int
    to_frame: int
    take_id: UUID | None


class PhraseView(BaseModel, from_attributes=True):
    first_bar: int
    bars: int
    from_frame: int
    to_frame: int


class SheetLineView(BaseModel):
    section: SectionView
    from_frame: int
    to_frame: int
    bars: list[BarView]
    phrases: list[PhraseView]
    take_ids: list[UUID] = Field(description="All that touch it, the newest first.")
    first_take_id: UUID | None = Field(description="Of these the one that is heard most: it is shown first.")
    missing_bars: int


class SheetView(BaseModel):
    """The song as a chart: one line a section."""

    part_id: UUID
    lines: list[SheetLineView]
    missing_bars: int
    takes: int


async def sheet_of(session_id: UUID, part_id: UUID, conn: Connection) -> Callable[[], SheetView]:
    """Reads what it needs; what it gives makes it."""
    session = await sessions.get_session(conn, session_id)
    part = await parts.get_part(conn, part_id)
    of_part = await takes.kept_placed(conn, part.id)
    current = await comps.current_of_part(conn, part.id)
    found = await sections.list_sections(conn, session_id)
    return partial(_sheet, session, part_id, found, of_part, current.comp if current else Comp())


def _sheet(session: Session, part_id: UUID, found: list[Section], of_part: list[Played], comp: Comp) -> SheetView:
    sounding = performance(comp, of_part)
    lines = []
    for section in found:
        line = sheet_line(
            session.tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars,
            takes=of_part, sounding=sounding,
        )  # fmt: skip
        lines.append(
            SheetLineView(
                section=SectionView.model_validate(section),
                from_frame=line.from_frame,
                to_frame=line.to_frame,
                bars=[BarView.model_validate(bar) for bar in line.bars],
                phrases=[PhraseView.model_validate(phrase) for phrase in line.phrases],
                take_ids=line.take_ids,
                first_take_id=line.first_take_id,
                missing_bars=line.missing_bars,
            )
        )
    return SheetView(
        part_id=part_id, lines=lines, missing_bars=sum(line.missing_bars for line in lines), takes=len(of_part)
    )
