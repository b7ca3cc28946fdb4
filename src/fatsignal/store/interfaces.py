"""Interfaces: how each is set, and its measured round trip for each rate and buffer."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordOffset:
    """By how many frames what is recorded arrives late, and the spread of the pings that told it."""

    interface: str
    rate_hz: int
    buffer_frames: int
    offset_frames: float
    spread_frames: float
    measured_at: datetime

    @property
    def whole_frames(self) -> int:
        """What is left out at the beginning of a recording."""
        return max(0, round(self.offset_frames))


async def get_settings(conn: Connection, name: str) -> dict[str, Any]:
    """The settings of an interface; empty where it was never set."""
    async with conn.cursor() as cur:
        await cur.execute("SELECT settings FROM interface WHERE name = %s", (name,))
        row = await cur.fetchone()
    return dict(row[0]) if row else {}  # type: ignore[call-overload]


async def keep_settings(conn: Connection, name: str, settings: dict[str, Any]) -> None:
    await conn.execute(
        """
        INSERT INTO interface (name, settings) VALUES (%s, %s)
        ON CONFLICT (name) DO UPDATE SET settings = excluded.settings
        """,
        (name, Jsonb(settings)),
    )


async def keep_offset(
    conn: Connection, name: str, *, rate_hz: int, buffer_frames: int, offset_frames: float, spread_frames: float
) -> None:
    await conn.execute(
        """
        INSERT INTO record_offset (interface, rate_hz, buffer_frames, offset_frames, spread_frames)
        VALUES (%s, %s, %s, %s, %s)
        ON CONFLICT (interface, rate_hz, buffer_frames) DO UPDATE SET
            offset_frames = excluded.offset_frames, spread_frames = excluded.spread_frames,
            measured_at = clock_timestamp()
        """,
        (name, rate_hz, buffer_frames, offset_frames, spread_frames),
    )


async def get_offset(conn: Connection, name: str, *, rate_hz: int, buffer_frames: int) -> RecordOffset | None:
    """The record offset for a rate and buffer; None where it was not measured."""
    async with conn.cursor(row_factory=class_row(RecordOffset)) as cur:
        await cur.execute(
            """
            SELECT interface, rate_hz, buffer_frames, offset_frames, spread_frames, measured_at FROM record_offset
            WHERE interface = %s AND rate_hz = %s AND buffer_frames = %s
            """,
            (name, rate_hz, buffer_frames),
        )
        return await cur.fetchone()
