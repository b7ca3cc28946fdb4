"""Takes: one pass of a part, its channels time-locked."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.rows import class_row, dict_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeChannel:
    """`file` lies in the take's folder; `checks` are the level figures over the window."""

    position: int
    name: str
    kind: str
    file: str
    sha256: str
    checks: dict[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class Take:
    """`folder` is relative to the folder of all sessions; frames count from the session's zero.

    `recorded_frame` is where it was recorded: it differs from `from_frame` once its section has moved.
    """

    id: UUID
    part_id: UUID
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    recorded_frame: int
    frames: int
    window_from_frame: int
    window_to_frame: int
    origin: str
    rig_sheet: dict[str, Any]
    note: str
    folder: str
    binned_at: datetime | None


_TAKE = (
    "take.id, take.part_id, take.number, take.recorded_at, take.rate_hz, take.from_frame, take.recorded_frame,"
    " take.frames, take.window_from_frame, take.window_to_frame, take.origin, take.rig_sheet, take.note, take.folder,"
    " take.binned_at"
)


async def add_take(conn: Connection, take: Take, channels: list[TakeChannel]) -> bool:
    """Enter a take with its channels; False when it was entered before, so that entering again is harmless."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            INSERT INTO take (id, part_id, number, recorded_at, rate_hz, from_frame, recorded_frame, frames,
                              window_from_frame, window_to_frame, origin, rig_sheet, note, folder)
            VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)
            ON CONFLICT (id) DO NOTHING
            """,
            (
                take.id, take.part_id, take.number, take.recorded_at, take.rate_hz, take.from_frame,
                take.recorded_frame, take.frames, take.window_from_frame, take.window_to_frame, take.origin,
                Jsonb(take.rig_sheet), take.note, take.folder,
            ),
        )  # fmt: skip
        if cur.rowcount == 0:
            return False
        await cur.executemany(
            """
            INSERT INTO take_channel (take_id, position, name, kind, file, sha256, checks)
            VALUES (%s, %s, %s, %s, %s, %s, %s)
            """,
            [
                (take.id, channel.position, channel.name, channel.kind, channel.file, channel.sha256,
                 Jsonb(channel.checks))
                for channel in channels
            ],
        )  # fmt: skip
    return True


async def list_takes(conn: Connection, session_id: UUID) -> list[Take]:
    """All takes of a session, the newest first, those in the bin too."""
    async with conn.cursor(row_factory=class_row(Take)) as cur:
        await cur.execute(
            f"""
            SELECT {_TAKE} FROM take JOIN part ON part.id = take.part_id
            WHERE part.session_id = %s ORDER BY part.position, take.number DESC
            """,
            (session_id,),
        )
        return await cur.fetchall()


async def get_take(conn: Connection, take_id: UUID) -> Take:
    async with conn.cursor(row_factory=class_row(Take)) as cur:
        await cur.execute(f"SELECT {_TAKE} FROM take WHERE id = %s", (take_id,))
        take = await cur.fetchone()
    if take is None:
        raise NotFound("take", take_id)
    return take


async def channels_of(conn: Connection, take_ids: list[UUID]) -> dict[UUID, list[TakeChannel]]:
    """Channels of several takes in one query, in their order."""
    found: dict[UUID, list[TakeChannel]] = {take_id: [] for take_id in take_ids}
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            """
            SELECT take_id, position, name, kind, file, sha256, checks FROM take_channel
            WHERE take_id = ANY(%s) ORDER BY take_id, position
            """,
            (take_ids,),
        )
        async for row in cur:
            found[row.pop("take_id")].append(TakeChannel(**row))
    return found


async def highest_number(conn: Connection, part_id: UUID) -> int:
    """Highest take number of a part, 0 without takes; numbers are never used twice, not even after the bin."""
    async with conn.cursor() as cur:
        await cur.execute("SELECT coalesce(max(number), 0) FROM take WHERE part_id = %s", (part_id,))
        row = await cur.fetchone()
    assert row is not None, "an aggregate always gives a row"
    return int(str(row[0]))


async def set_binned(conn: Connection, take_id: UUID, *, binned: bool) -> None:
    """Put a take into the bin or take it out again; its audio stays where it is."""
    async with conn.cursor() as cur:
        await cur.execute("UPDATE take SET binned_at = CASE WHEN %s THEN now() END WHERE id = %s", (binned, take_id))
        if cur.rowcount == 0:
            raise NotFound("take", take_id)


async def move_takes(conn: Connection, moves: dict[UUID, int]) -> None:
    """Move takes along the time line by so many frames each; their audio and where they were recorded stay."""
    async with conn.cursor() as cur:
        await cur.executemany(
            """
            UPDATE take SET from_frame = from_frame + %(by)s, window_from_frame = window_from_frame + %(by)s,
                            window_to_frame = window_to_frame + %(by)s
            WHERE id = %(id)s
            """,
            [{"id": take_id, "by": by} for take_id, by in moves.items() if by],
        )
