"""Kits: rigs that are kept under a name, to start a part from."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.errors import UniqueViolation
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Kit:
    id: UUID
    name: str
    instrument: str
    use: str
    words: list[str]
    rig: dict[str, Any]
    monitoring: dict[str, Any]
    made_at: datetime


_KIT = "id, name, instrument, use, words, rig, monitoring, made_at"


async def add_kit(
    conn: Connection,
    *,
    name: str,
    instrument: str,
    use: str,
    words: list[str],
    rig: dict[str, Any],
    monitoring: dict[str, Any] | None = None,
) -> Kit:
    async with conn.cursor(row_factory=class_row(Kit)) as cur:
        try:
            await cur.execute(
                f"INSERT INTO kit (name, instrument, use, words, rig, monitoring) VALUES (%s, %s, %s, %s, %s, %s)"
                f" RETURNING {_KIT}",
                (name, instrument, use, words, Jsonb(rig), Jsonb(monitoring or {})),
            )
        except UniqueViolation:
            raise InvalidSetting(f"there is a kit named {name} already: choose another name") from None
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def find_kits(conn: Connection, *, instrument: str | None = None, words: list[str] | None = None) -> list[Kit]:
    """Kits for an instrument in which every word is found, in the name, the use, the instrument or the kit's words."""
    async with conn.cursor(row_factory=class_row(Kit)) as cur:
        await cur.execute(
            f"""
            SELECT {_KIT} FROM kit
            WHERE (%(instrument)s::text IS NULL OR instrument = %(instrument)s)
              AND NOT EXISTS (
                SELECT FROM unnest(%(words)s::text[]) AS wanted (word)
                WHERE strpos(lower(concat_ws(' ', name, use, instrument, array_to_string(words, ' '))), lower(word)) = 0
              )
            ORDER BY lower(name)
            """,
            {"instrument": instrument, "words": words or []},
        )
        return await cur.fetchall()


async def get_kit(conn: Connection, kit_id: UUID) -> Kit:
    async with conn.cursor(row_factory=class_row(Kit)) as cur:
        await cur.execute(f"SELECT {_KIT} FROM kit WHERE id = %s", (kit_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("kit", kit_id)
    return found


async def remove_kit(conn: Connection, kit_id: UUID) -> None:
    """Forget a kit; parts that began from it keep their rig."""
    await conn.execute("DELETE FROM kit WHERE id = %s", (kit_id,))
