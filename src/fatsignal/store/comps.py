"""Comps of parts: versions, of which one sounds."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, LiteralString
from uuid import UUID

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from fatsignal.core.comp.comp import Comp
from fatsignal.core.comp.document import CompDocument, document_of
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection, in_turns


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredComp:
    """A version of a part's comp; `current` is the one that sounds."""

    id: UUID
    part_id: UUID
    number: int
    name: str
    comp: Comp
    made_at: datetime
    current: bool


_COMP: LiteralString = (
    "comp.id, comp.part_id, comp.number, comp.name, comp.document, comp.made_at,"
    " comp.id IS NOT DISTINCT FROM part.comp_id AS current"
)
_FROM: LiteralString = "FROM comp JOIN part ON part.id = comp.part_id"


def _from_row(row: dict[str, Any]) -> StoredComp:
    row["comp"] = CompDocument.model_validate(row.pop("document")).comp()
    return StoredComp(**row)


async def list_comps(conn: Connection, part_id: UUID) -> list[StoredComp]:
    """Versions of a part, the first one first."""
    return await _listed(conn, "comp.part_id = %s", part_id)


async def current_of_session(conn: Connection, session_id: UUID) -> list[StoredComp]:
    """What sounds of each part that has a comp, part by part."""
    return await _listed(conn, "comp.id = part.comp_id AND part.session_id = %s", session_id)


async def all_of_session(conn: Connection, session_id: UUID) -> list[StoredComp]:
    """Every version of every part."""
    return await _listed(conn, "part.session_id = %s", session_id)


async def current_of_part(conn: Connection, part_id: UUID) -> StoredComp | None:
    """The version that sounds; None where nobody touched anything."""
    return next(iter(await _listed(conn, "comp.id = part.comp_id AND part.id = %s", part_id)), None)


async def comps_by_id(conn: Connection, comp_ids: Sequence[UUID]) -> dict[UUID, StoredComp]:
    """Those of some ids that are comps, in one query."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_COMP} {_FROM} WHERE comp.id = ANY(%s)", (list(comp_ids),))
        return {found.id: found for found in [_from_row(row) for row in await cur.fetchall()]}


async def get_comp(conn: Connection, comp_id: UUID) -> StoredComp:
    found = await _listed(conn, "comp.id = %s", comp_id)
    if not found:
        raise NotFound("comp", comp_id)
    return found[0]


async def _listed(conn: Connection, where: LiteralString, of: UUID) -> list[StoredComp]:
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_COMP} {_FROM} WHERE {where} ORDER BY part.position, comp.number", (of,))
        return [_from_row(row) async for row in in_turns(cur)]


async def add_comp(conn: Connection, comp_id: UUID, part_id: UUID, *, name: str, comp: Comp) -> None:
    """Another version, with the next number."""
    await conn.execute("INSERT INTO material (id, part_id, kind) VALUES (%s, %s, 'comp')", (comp_id, part_id))
    await conn.execute(
        """
        INSERT INTO comp (id, part_id, number, name, document)
        SELECT %(id)s, %(part)s, coalesce(max(number), 0) + 1, %(name)s, %(document)s FROM comp WHERE part_id = %(part)s
        """,
        {"id": comp_id, "part": part_id, "name": name, "document": _document(comp)},
    )


async def set_comp(conn: Connection, comp_id: UUID, comp: Comp) -> None:
    await _change(conn, "UPDATE comp SET document = %s WHERE id = %s", (_document(comp), comp_id))


async def set_name(conn: Connection, comp_id: UUID, name: str) -> None:
    await _change(conn, "UPDATE comp SET name = %s WHERE id = %s", (name, comp_id))


async def set_current(conn: Connection, part_id: UUID, comp_id: UUID | None) -> None:
    await _change(conn, "UPDATE part SET comp_id = %s WHERE id = %s", (comp_id, part_id))


async def remove_comp(conn: Connection, comp_id: UUID) -> None:
    await _change(conn, "DELETE FROM comp WHERE id = %s", (comp_id,))


def _document(comp: Comp) -> Jsonb:
    return Jsonb(document_of(comp).model_dump(mode="json"))


async def _change(conn: Connection, query: LiteralString, values: Sequence[object]) -> None:
    async with conn.cursor() as cur:
        await cur.execute(query, values)
        if cur.rowcount == 0:
            raise NotFound("comp", values[-1])
