"""A session's takes as a list names them: cheap enough to be asked for at every change."""

from dataclasses import dataclass
from typing import LiteralString
from uuid import UUID

from psycopg.rows import class_row

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection, in_turns

# Part by part, the newest first, as `takes.list_takes` has them.
_LISTED: LiteralString = "part.position, take.number DESC"
# Who wrote a row, and where it lies: every change writes it anew, elsewhere.
_VERSION: LiteralString = "take.xmin, take.ctid"


@dataclass(frozen=True, slots=True)
class ListedTake:
    """A take as a list names it; `version` is another as soon as anything of its row is."""

    id: UUID
    version: str
    part_name: str


async def list_version(conn: Connection, session_id: UUID) -> str:
    """Another as soon as anything of a session's row, its parts' names, or its takes is: as cheap as one row."""
    async with conn.cursor() as cur:
        await cur.execute(
            f"""
            SELECT md5(concat_ws(' ', session.xmin, session.ctid, (
                SELECT string_agg(concat_ws(' ', take.id, {_VERSION}, part.name), ',' ORDER BY {_LISTED})
                FROM take JOIN part ON part.id = take.part_id WHERE part.session_id = session.id
            ))) FROM session WHERE id = %s
            """,
            (session_id,),
        )
        row = await cur.fetchone()
    if row is None:
        raise NotFound("session", session_id)
    return str(row[0])


async def list_versions(conn: Connection, session_id: UUID) -> list[ListedTake]:
    """All takes of a session in the order of `list_takes`, without what they hold."""
    async with conn.cursor(row_factory=class_row(ListedTake)) as cur:
        await cur.execute(
            f"""
            SELECT take.id, concat_ws(' ', {_VERSION}) AS version, part.name AS part_name
            FROM take JOIN part ON part.id = take.part_id WHERE part.session_id = %s ORDER BY {_LISTED}
            """,
            (session_id,),
        )
        return [row async for row in in_turns(cur)]
