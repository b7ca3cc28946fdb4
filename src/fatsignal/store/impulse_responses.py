"""Impulse responses of one's own: what each is called, and what its file holds."""

from dataclasses import dataclass
from datetime import datetime

from psycopg.rows import class_row

from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownResponse:
    sha256: str
    name: str
    rate_hz: int
    channels: int
    sound_s: float
    brought_at: datetime


_RESPONSE = "sha256, name, rate_hz, channels, sound_s, brought_at"


async def add_response(
    conn: Connection, *, sha256: str, name: str, rate_hz: int, channels: int, sound_s: float
) -> KnownResponse:
    """Know of a file; one that is known keeps its name."""
    await conn.execute(
        f"INSERT INTO impulse_response ({_RESPONSE}) VALUES (%s, %s, %s, %s, %s, now()) ON CONFLICT DO NOTHING",
        (sha256, name, rate_hz, channels, sound_s),
    )
    async with conn.cursor(row_factory=class_row(KnownResponse)) as cur:
        await cur.execute(f"SELECT {_RESPONSE} FROM impulse_response WHERE sha256 = %s", (sha256,))
        found = await cur.fetchone()
    assert found is not None, "it was just added"
    return found


async def list_responses(conn: Connection) -> list[KnownResponse]:
    """All that were brought in, by name."""
    async with conn.cursor(row_factory=class_row(KnownResponse)) as cur:
        await cur.execute(f"SELECT {_RESPONSE} FROM impulse_response ORDER BY lower(name), brought_at")
        return await cur.fetchall()
