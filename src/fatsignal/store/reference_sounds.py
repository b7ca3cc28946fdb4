"""Sounds of one's own that tones are held against on the bench."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from psycopg.rows import class_row

from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferenceSound:
    """`file` is relative to the folder of all sessions."""

    id: UUID
    session_id: UUID
    name: str
    file: str
    sha256: str
    frames: int
    channels: int
    added_at: datetime


_REFERENCE = "id, session_id, name, file, sha256, frames, channels, added_at"


async def add_reference(
    conn: Connection, *, reference_id: UUID, session_id: UUID, name: str, file: str, sha256: str, frames: int,
    channels: int,
) -> None:  # fmt: skip
    await conn.execute(
        f"INSERT INTO reference_sound ({_REFERENCE}) VALUES (%s, %s, %s, %s, %s, %s, %s, now())",
        (reference_id, session_id, name, file, sha256, frames, channels),
    )


async def references_by_id(conn: Connection, reference_ids: Sequence[UUID]) -> dict[UUID, ReferenceSound]:
    """Those of some ids that there are."""
    async with conn.cursor(row_factory=class_row(ReferenceSound)) as cur:
        await cur.execute(f"SELECT {_REFERENCE} FROM reference_sound WHERE id = ANY(%s)", (list(reference_ids),))
        return {each.id: each for each in await cur.fetchall()}
