"""Sessions with their sections and parts."""

from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: str
    tempo_bpm: str
    beats_per_bar: int
    lead_in_bars: int
    count_in_bars: int
    folder: str
    created_at: datetime

    @property
    def tempo(self) -> TempoMap:
        return TempoMap(Fraction(self.tempo_bpm), self.beats_per_bar, self.rate_hz, self.lead_in_bars)


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    id: UUID
    session_id: UUID
    position: int
    name: str
    first_bar: int
    bars: int
    phrase_bars: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    id: UUID
    session_id: UUID
    position: int
    name: str
    rig: dict[str, Any]
    written: list[dict[str, Any]]
    armed: bool


_SESSION = "id, name, artist, rate_hz, depth, tempo_bpm, beats_per_bar, lead_in_bars, count_in_bars, folder, created_at"
_SECTION = "id, session_id, position, name, first_bar, bars, phrase_bars"
_PART = "id, session_id, position, name, rig, written, armed"


async def add_session(
    conn: Connection, *, name: str, artist: str, rate_hz: int, depth: str, tempo_bpm: str, beats_per_bar: int,
    folder: str,
) -> Session:  # fmt: skip
    """Insert a session and return it as stored."""
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(
            f"""
            INSERT INTO session (name, artist, rate_hz, depth, tempo_bpm, beats_per_bar, folder)
            VALUES (%s, %s, %s, %s, %s, %s, %s)
            RETURNING {_SESSION}
            """,
            (name, artist, rate_hz, depth, tempo_bpm, beats_per_bar, folder),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def list_sessions(conn: Connection) -> list[Session]:
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(f"SELECT {_SESSION} FROM session ORDER BY created_at")
        return await cur.fetchall()


async def get_session(conn: Connection, session_id: UUID) -> Session:
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(f"SELECT {_SESSION} FROM session WHERE id = %s", (session_id,))
        session = await cur.fetchone()
    if session is None:
        raise NotFound("session", session_id)
    return session


async def add_section(
    conn: Connection, *, session_id: UUID, position: int, name: str, first_bar: int, bars: int, phrase_bars: int
) -> Section:
    async with conn.cursor(row_factory=class_row(Section)) as cur:
        await cur.execute(
            f"""
            INSERT INTO section (session_id, position, name, first_bar, bars, phrase_bars)
            VALUES (%s, %s, %s, %s, %s, %s)
            RETURNING {_SECTION}
            """,
            (session_id, position, name, first_bar, bars, phrase_bars),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


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


async def add_part(
    conn: Connection, *, session_id: UUID, position: int, name: str, rig: dict[str, Any],
    written: list[dict[str, Any]], armed: bool,
) -> Part:  # fmt: skip
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        await cur.execute(
            f"""
            INSERT INTO part (session_id, position, name, rig, written, armed)
            VALUES (%s, %s, %s, %s, %s, %s)
            RETURNING {_PART}
            """,
            (session_id, position, name, Jsonb(rig), Jsonb(written), armed),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def list_parts(conn: Connection, session_id: UUID) -> list[Part]:
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        await cur.execute(f"SELECT {_PART} FROM part WHERE session_id = %s ORDER BY position", (session_id,))
        return await cur.fetchall()


async def get_part(conn: Connection, part_id: UUID) -> Part:
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        await cur.execute(f"SELECT {_PART} FROM part WHERE id = %s", (part_id,))
        part = await cur.fetchone()
    if part is None:
        raise NotFound("part", part_id)
    return part


async def arm_part(conn: Connection, part_id: UUID) -> None:
    """Arm one part; the others of its session are disarmed."""
    part = await get_part(conn, part_id)
    await conn.execute(
        "UPDATE part SET armed = false WHERE session_id = %s AND armed AND id <> %s", (part.session_id, part_id)
    )
    await conn.execute("UPDATE part SET armed = true WHERE id = %s", (part_id,))
