"""Parts: the musical roles of a session, each with its rig."""

from dataclasses import dataclass
from typing import Any, LiteralString
from uuid import UUID

from psycopg.errors import UniqueViolation
from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    id: UUID
    session_id: UUID
    position: int
    name: str
    rig: dict[str, Any]
    written: list[dict[str, Any]]
    armed: bool
    chords: list[dict[str, Any]]
    cut: list[dict[str, Any]]
    monitoring: dict[str, Any]
    placement: dict[str, Any]
    # Something was recorded or measured with it, which would go with it.
    holds: bool


HOLDS: LiteralString = """
    EXISTS (SELECT FROM material WHERE part_id = part.id) OR EXISTS (SELECT FROM take WHERE part_id = part.id)
    OR EXISTS (SELECT FROM trial WHERE part_id = part.id)
    OR EXISTS (SELECT FROM rig_check WHERE part_id = part.id) OR EXISTS (SELECT FROM rig_sheet WHERE part_id = part.id)
"""
_PART: LiteralString = (
    f"id, session_id, position, name, rig, written, armed, chords, cut, monitoring, placement, ({HOLDS}) AS holds"
)


async def add_part(
    conn: Connection, *, session_id: UUID, name: str, rig: dict[str, Any], written: list[dict[str, Any]], armed: bool,
    chords: list[dict[str, Any]] | None = None, monitoring: dict[str, Any] | None = None,
) -> Part:  # fmt: skip
    """Insert a part after the others."""
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        try:
            await cur.execute(
                f"""
                INSERT INTO part (session_id, position, name, rig, written, armed, chords, monitoring)
                VALUES (%(session_id)s,
                        (SELECT coalesce(max(position) + 1, 0) FROM part WHERE session_id = %(session_id)s),
                        %(name)s, %(rig)s, %(written)s, %(armed)s, %(chords)s, %(monitoring)s)
                RETURNING {_PART}
                """,
                {
                    "session_id": session_id, "name": name, "rig": Jsonb(rig), "written": Jsonb(written),
                    "armed": armed, "chords": Jsonb(chords or []), "monitoring": Jsonb(monitoring or {}),
                },
            )  # fmt: skip
        except UniqueViolation:
            raise _name_taken(name) from None
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def list_parts(conn: Connection, session_id: UUID) -> list[Part]:
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        await cur.execute(f"SELECT {_PART} FROM part WHERE session_id = %s ORDER BY position", (session_id,))
        return await cur.fetchall()


async def get_part(conn: Connection, part_id: UUID) -> Part:
    async with conn.cursor(row_factory=class_row(Part)) as cur:
        await cur.execute(f"SELECT {_PART} FROM part WHERE id = %s", (part_id,))
        part = await cur.fetchone()
    if part is None:
        raise NotFound("part", part_id)
    return part


async def arm_part(conn: Connection, part_id: UUID) -> None:
    """Arm a part; the others of its session are disarmed, unless the session arms together."""
    part = await get_part(conn, part_id)
    await conn.execute(
        """
        UPDATE part SET armed = false
        WHERE session_id = %(session_id)s AND armed AND id <> %(id)s
          AND NOT (SELECT arm_together FROM session WHERE id = %(session_id)s)
        """,
        {"session_id": part.session_id, "id": part_id},
    )
    await conn.execute("UPDATE part SET armed = true WHERE id = %s", (part_id,))


async def disarm_part(conn: Connection, part_id: UUID) -> None:
    await get_part(conn, part_id)
    await conn.execute("UPDATE part SET armed = false WHERE id = %s", (part_id,))


async def disarm_all_but_first(conn: Connection, session_id: UUID) -> None:
    """What is left armed when a session no longer arms together: the first of its armed parts."""
    await conn.execute(
        """
        UPDATE part SET armed = false WHERE session_id = %(id)s AND armed AND position >
            (SELECT min(position) FROM part WHERE session_id = %(id)s AND armed)
        """,
        {"id": session_id},
    )


async def remove_part(conn: Connection, part_id: UUID) -> None:
    """Remove a part; where it was the only one armed, the first of the others is armed."""
    async with conn.cursor() as cur:
        await cur.execute("DELETE FROM part WHERE id = %s RETURNING session_id", (part_id,))
        row = await cur.fetchone()
    if row is None:
        raise NotFound("part", part_id)
    await conn.execute(
        """
        UPDATE part SET armed = true
        WHERE id = (SELECT id FROM part WHERE session_id = %(session)s ORDER BY position LIMIT 1)
          AND NOT EXISTS (SELECT FROM part WHERE session_id = %(session)s AND armed)
        """,
        {"session": row[0]},
    )


async def set_rig(conn: Connection, part_id: UUID, rig: dict[str, Any]) -> None:
    await conn.execute("UPDATE part SET rig = %s WHERE id = %s", (Jsonb(rig), part_id))


async def set_monitoring(conn: Connection, part_id: UUID, monitoring: dict[str, Any]) -> None:
    await conn.execute("UPDATE part SET monitoring = %s WHERE id = %s", (Jsonb(monitoring), part_id))


async def set_placement(conn: Connection, part_id: UUID, placement: dict[str, Any]) -> None:
    await conn.execute("UPDATE part SET placement = %s WHERE id = %s", (Jsonb(placement), part_id))


async def rename_part(conn: Connection, part_id: UUID, name: str) -> None:
    try:
        await conn.execute("UPDATE part SET name = %s WHERE id = %s", (name, part_id))
    except UniqueViolation:
        raise _name_taken(name) from None


async def set_written(
    conn: Connection, part_id: UUID, written: list[dict[str, Any]], *, cut: list[dict[str, Any]]
) -> None:
    """Keep what is written, and what was cut out with bars that are gone."""
    await conn.execute("UPDATE part SET written = %s, cut = %s WHERE id = %s", (Jsonb(written), Jsonb(cut), part_id))


async def set_chords(conn: Connection, part_id: UUID, chords: list[dict[str, Any]]) -> None:
    await conn.execute("UPDATE part SET chords = %s WHERE id = %s", (Jsonb(chords), part_id))


def _name_taken(name: str) -> InvalidSetting:
    return InvalidSetting(f"there is a part named {name} already: choose another name")


async def set_heard_through(conn: Connection, part_id: UUID, tone_id: UUID | None) -> None:
    """By the prints of which tone it is heard in the song; none: by its miked amp."""
    await conn.execute("UPDATE part SET heard_through = %s WHERE id = %s", (tone_id, part_id))


async def heard_through(conn: Connection, session_id: UUID) -> dict[UUID, tuple[UUID, str]]:
    """The parts of a session that are heard by prints: the tone of each, and its name."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            SELECT part.id, tone.id, tone.name FROM part JOIN tone ON tone.id = part.heard_through
            WHERE part.session_id = %s ORDER BY part.position
            """,
            (session_id,),
        )
        return {UUID(str(part)): (UUID(str(tone)), str(name)) for part, tone, name in await cur.fetchall()}
