"""What the checks of a rig found, the newest of each kind first."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class RigCheck:
    id: UUID
    part_id: UUID
    kind: str
    verdict: str
    says: str
    result: dict[str, Any]
    made_at: datetime


_CHECK = "id, part_id, kind, verdict, says, result, made_at"


async def add_check(
    conn: Connection, *, part_id: UUID, kind: str, verdict: str, says: str, result: dict[str, Any]
) -> RigCheck:
    async with conn.cursor(row_factory=class_row(RigCheck)) as cur:
        await cur.execute(
            f"""
            INSERT INTO rig_check (part_id, kind, verdict, says, result) VALUES (%s, %s, %s, %s, %s)
            RETURNING {_CHECK}
            """,
            (part_id, kind, verdict, says, Jsonb(result)),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def newest_checks(conn: Connection, part_id: UUID) -> list[RigCheck]:
    """The newest check of each kind."""
    async with conn.cursor(row_factory=class_row(RigCheck)) as cur:
        await cur.execute(
            f"SELECT DISTINCT ON (kind) {_CHECK} FROM rig_check WHERE part_id = %s ORDER BY kind, made_at DESC",
            (part_id,),
        )
        return await cur.fetchall()
