"""Rig sheets: a rig, its interface and its checks, frozen under a name."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class RigSheet:
    id: UUID
    part_id: UUID
    name: str
    frozen: dict[str, Any]
    made_at: datetime


_SHEET = "rig_sheet.id, rig_sheet.part_id, rig_sheet.name, rig_sheet.frozen, rig_sheet.made_at"


async def freeze_sheet(conn: Connection, *, part_id: UUID, name: str, frozen: dict[str, Any]) -> RigSheet:
    async with conn.cursor(row_factory=class_row(RigSheet)) as cur:
        await cur.execute(
            f"INSERT INTO rig_sheet (part_id, name, frozen) VALUES (%s, %s, %s) RETURNING {_SHEET}",
            (part_id, name, Jsonb(frozen)),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def list_sheets(conn: Connection, session_id: UUID) -> list[RigSheet]:
    """All sheets of a session, the newest first."""
    async with conn.cursor(row_factory=class_row(RigSheet)) as cur:
        await cur.execute(
            f"""
            SELECT {_SHEET} FROM rig_sheet JOIN part ON part.id = rig_sheet.part_id
            WHERE part.session_id = %s ORDER BY rig_sheet.made_at DESC
            """,
            (session_id,),
        )
        return await cur.fetchall()


async def get_sheet(conn: Connection, sheet_id: UUID) -> RigSheet:
    async with conn.cursor(row_factory=class_row(RigSheet)) as cur:
        await cur.execute(f"SELECT {_SHEET} FROM rig_sheet WHERE id = %s", (sheet_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("rig sheet", sheet_id)
    return found
