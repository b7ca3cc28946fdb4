"""Backing tracks: sound files that a session is played to."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID, uuid4

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Backing:
    """`file` is relative to the session's folder; `placed_frame` is where its first sample lies on the time line."""

    id: UUID
    session_id: UUID
    name: str
    file: str
    origin: str
    frames: int
    channels: int
    placed_frame: int
    gain_db: float
    loudness_lufs: float | None
    pulse: dict[str, Any] | None
    added_at: datetime


_BACKING = "id, session_id, name, file, origin, frames, channels, placed_frame, gain_db, loudness_lufs, pulse, added_at"


async def add_backing(
    conn: Connection, *, session_id: UUID, name: str, file: str, origin: str, frames: int, channels: int,
    placed_frame: int, loudness_lufs: float | None, pulse: dict[str, Any] | None, backing_id: UUID | None = None,
) -> Backing:  # fmt: skip
    """Insert a backing track; entering one that is there is harmless."""
    async with conn.cursor(row_factory=class_row(Backing)) as cur:
        await cur.execute(
            f"""
            INSERT INTO backing (id, session_id, name, file, origin, frames, channels, placed_frame, loudness_lufs,
                                 pulse)
            VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)
            ON CONFLICT (id) DO UPDATE SET name = excluded.name
            RETURNING {_BACKING}
            """,
            (
                backing_id or uuid4(), session_id, name, file, origin, frames, channels, placed_frame, loudness_lufs,
                Jsonb(pulse) if pulse else None,
            ),
        )  # fmt: skip
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def backings_by_id(conn: Connection, backing_ids: Sequence[UUID]) -> list[Backing]:
    """Those of some ids that are backing tracks, in one query."""
    async with conn.cursor(row_factory=class_row(Backing)) as cur:
        await cur.execute(f"SELECT {_BACKING} FROM backing WHERE id = ANY(%s)", (list(backing_ids),))
        return await cur.fetchall()


async def list_backings(conn: Connection, session_id: UUID) -> list[Backing]:
    async with conn.cursor(row_factory=class_row(Backing)) as cur:
        await cur.execute(f"SELECT {_BACKING} FROM backing WHERE session_id = %s ORDER BY added_at", (session_id,))
        return await cur.fetchall()


async def get_backing(conn: Connection, backing_id: UUID) -> Backing:
    async with conn.cursor(row_factory=class_row(Backing)) as cur:
        await cur.execute(f"SELECT {_BACKING} FROM backing WHERE id = %s", (backing_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("backing track", backing_id)
    return found


async def place_backing(conn: Connection, backing_id: UUID, *, placed_frame: int, gain_db: float) -> None:
    await conn.execute(
        "UPDATE backing SET placed_frame = %s, gain_db = %s WHERE id = %s", (placed_frame, gain_db, backing_id)
    )


async def remove_backing(conn: Connection, backing_id: UUID) -> None:
    """Take a backing track out of its session; its file stays on disk."""
    await conn.execute("DELETE FROM backing WHERE id = %s", (backing_id,))


async def set_pulse(conn: Connection, backing_id: UUID, pulse: dict[str, Any]) -> None:
    await conn.execute("UPDATE backing SET pulse = %s WHERE id = %s", (Jsonb(pulse), backing_id))
