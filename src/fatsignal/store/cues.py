"""Cues: named listeners of a session, each with a mix of its own."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any
from uuid import UUID

from psycopg.errors import UniqueViolation
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.core.cue.mix import CueMix
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.store.database import Connection

OWN_NAME = "Me"


@dataclass(frozen=True, kw_only=True)
class StoredCue:
    """`mix` is a document; `settings` is what it says."""

    id: UUID
    session_id: UUID
    name: str
    mix: dict[str, Any]

    @cached_property
    def settings(self) -> CueMix:
        return CueMix.model_validate(self.mix)


_CUE = "id, session_id, name, mix"


async def add_cue(conn: Connection, *, session_id: UUID, name: str, mix: CueMix) -> StoredCue:
    async with conn.cursor(row_factory=class_row(StoredCue)) as cur:
        try:
            await cur.execute(
                f"INSERT INTO cue (session_id, name, mix) VALUES (%s, %s, %s) RETURNING {_CUE}",
                (session_id, name.strip(), Jsonb(mix.model_dump(mode="json"))),
            )
        except UniqueViolation:
            raise _name_taken(name) from None
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def list_cues(conn: Connection, session_id: UUID) -> list[StoredCue]:
    async with conn.cursor(row_factory=class_row(StoredCue)) as cur:
        await cur.execute(f"SELECT {_CUE} FROM cue WHERE session_id = %s ORDER BY made_at, name", (session_id,))
        return await cur.fetchall()


async def get_cue(conn: Connection, cue_id: UUID) -> StoredCue:
    async with conn.cursor(row_factory=class_row(StoredCue)) as cur:
        await cur.execute(f"SELECT {_CUE} FROM cue WHERE id = %s", (cue_id,))
        cue = await cur.fetchone()
    if cue is None:
        raise NotFound("cue", cue_id)
    return cue


async def set_cue(conn: Connection, cue_id: UUID, *, name: str, mix: CueMix) -> None:
    try:
        await conn.execute(
            "UPDATE cue SET name = %s, mix = %s WHERE id = %s",
            (name.strip(), Jsonb(mix.model_dump(mode="json")), cue_id),
        )
    except UniqueViolation:
        raise _name_taken(name) from None


async def remove_cue(conn: Connection, cue_id: UUID) -> None:
    """Remove a listener; the last one of a session stays, as somebody has to hear something.

    Raises
    ------
    InvalidSetting
        If it is the last.
    """
    cue = await get_cue(conn, cue_id)
    if len(await list_cues(conn, cue.session_id)) == 1:
        raise InvalidSetting(f"{cue.name} is the only listener: add another one first")
    await conn.execute("DELETE FROM cue WHERE id = %s", (cue_id,))


def _name_taken(name: str) -> InvalidSetting:
    return InvalidSetting(f"there is a listener named {name} already: choose another name")
