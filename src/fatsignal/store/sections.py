"""Sections: the named ranges of bars of a session."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from psycopg.rows import class_row

from fatsignal.core.song.sections import SongSection
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    id: UUID
    session_id: UUID
    position: int
    name: str
    first_bar: int
    bars: int
    phrase_bars: int

    @property
    def in_song(self) -> SongSection:
        """As the rules of the song see it."""
        return SongSection(self.id, self.name, self.first_bar, self.bars, self.phrase_bars)


_SECTION = "id, session_id, position, name, first_bar, bars, phrase_bars"


async def list_sections(conn: Connection, session_id: UUID) -> list[Section]:
    async with conn.cursor(row_factory=class_row(Section)) as cur:
        await cur.execute(f"SELECT {_SECTION} FROM section WHERE session_id = %s ORDER BY position", (session_id,))
        return await cur.fetchall()


async def get_section(conn: Connection, section_id: UUID) -> Section:
    async with conn.cursor(row_factory=class_row(Section)) as cur:
        await cur.execute(f"SELECT {_SECTION} FROM section WHERE id = %s", (section_id,))
        section = await cur.fetchone()
    if section is None:
        raise NotFound("section", section_id)
    return section


async def replace_sections(conn: Connection, session_id: UUID, sections: Sequence[SongSection]) -> None:
    """Make these, in this order, the sections of the session; those that are not among them are gone."""
    async with conn.cursor() as cur:
        await cur.execute(
            "DELETE FROM section WHERE session_id = %s AND id <> ALL (%s)",
            (session_id, [section.id for section in sections]),
        )
        await cur.executemany(
            """
            INSERT INTO section (id, session_id, position, name, first_bar, bars, phrase_bars)
            VALUES (%s, %s, %s, %s, %s, %s, %s)
            ON CONFLICT (id) DO UPDATE SET
                position = excluded.position, name = excluded.name, first_bar = excluded.first_bar,
                bars = excluded.bars, phrase_bars = excluded.phrase_bars
            WHERE section.session_id = excluded.session_id
            """,
            [
                (section.id, session_id, position, section.name, section.first_bar, section.bars, section.phrase_bars)
                for position, section in enumerate(sections)
            ],
        )
