"""Prints: a take's DI through a tone revision, with the whole origin."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection

# Every change of a print is told on this channel, as JSON with its id, session, state and progress.
CHANNEL = "fatsignal_prints"


@dataclass(frozen=True, slots=True, kw_only=True)
class Print:
    id: UUID
    take_id: UUID
    tone_revision_id: UUID
    tone_name: str
    tone_revision: int
    state: str
    progress: float
    times_real_time: float | None
    problem: str
    job_id: int | None
    # How many times it was asked for; a rendering belongs to one asking.
    asking: int
    asked_at: datetime
    file: str | None
    sha256: str | None
    frames: int | None
    origin: dict[str, Any] | None
    checks: dict[str, Any] | None


_PRINT = """
    SELECT print.id, print.take_id, print.tone_revision_id, tone.name AS tone_name,
           tone_revision.revision AS tone_revision, print.state, print.progress, print.times_real_time,
           print.problem, print.job_id, print.asking, print.asked_at, print.file, print.sha256, print.frames,
           print.origin, print.checks
    FROM print
    JOIN tone_revision ON tone_revision.id = print.tone_revision_id
    JOIN tone ON tone.id = tone_revision.tone_id
"""


async def ask_for_print(conn: Connection, *, take_id: UUID, tone_revision_id: UUID) -> tuple[Print, bool]:
    """The print of a take through a tone, and whether it must be rendered; a failed or stopped one is asked anew."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            INSERT INTO print (take_id, tone_revision_id) VALUES (%s, %s)
            ON CONFLICT (take_id, tone_revision_id)
            DO UPDATE SET state = 'waiting', progress = 0, problem = '', job_id = NULL, asked_at = now(),
                          asking = print.asking + 1
            WHERE print.state IN ('failed', 'stopped')
            RETURNING id
            """,
            (take_id, tone_revision_id),
        )
        asked = await cur.fetchone() is not None
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(
            f"{_PRINT} WHERE print.take_id = %s AND print.tone_revision_id = %s", (take_id, tone_revision_id)
        )
        stored = await cur.fetchone()
    assert stored is not None, "the print was just asked for"
    if asked:
        await _tell(conn, stored.id)
    return stored, asked


async def get_print(conn: Connection, print_id: UUID) -> Print:
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(f"{_PRINT} WHERE print.id = %s", (print_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("print", print_id)
    return found


async def list_prints(conn: Connection, session_id: UUID) -> list[Print]:
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(
            f"""
            {_PRINT} JOIN take ON take.id = print.take_id JOIN part ON part.id = take.part_id
            WHERE part.session_id = %s ORDER BY print.asked_at
            """,
            (session_id,),
        )
        return await cur.fetchall()


async def set_job(conn: Connection, print_id: UUID, job_id: int) -> None:
    await conn.execute("UPDATE print SET job_id = %s WHERE id = %s", (job_id, print_id))


async def list_lost(conn: Connection, *, older_s: float) -> list[Print]:
    """Prints that wait or render although no job works on them: their worker was stopped in the middle."""
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(
            f"""
            {_PRINT} LEFT JOIN procrastinate_jobs job ON job.id = print.job_id
            WHERE print.state IN ('waiting', 'rendering')
              AND print.asked_at < now() - make_interval(secs => %s)
              AND (job.id IS NULL OR job.status NOT IN ('todo', 'doing'))
            """,
            (older_s,),
        )
        return await cur.fetchall()


async def set_progress(
    conn: Connection, print_id: UUID, *, asking: int, progress: float, times_real_time: float | None
) -> None:
    """Say how far a rendering is; a print that was stopped meanwhile stays stopped."""
    await conn.execute(
        """
        UPDATE print SET state = 'rendering', progress = %s, times_real_time = %s
        WHERE id = %s AND asking = %s AND state IN ('waiting', 'rendering')
        """,
        (progress, times_real_time, print_id, asking),
    )
    await _tell(conn, print_id)


async def set_ready(
    conn: Connection, print_id: UUID, *, file: str, sha256: str, frames: int, origin: dict[str, Any],
    checks: dict[str, Any], times_real_time: float,
) -> None:  # fmt: skip
    """Say that the file is there, whichever asking it was made for: they all give the same bytes."""
    await conn.execute(
        """
        UPDATE print SET state = 'ready', progress = 1, file = %s, sha256 = %s, frames = %s, origin = %s,
                         checks = %s, times_real_time = %s, problem = ''
        WHERE id = %s
        """,
        (file, sha256, frames, Jsonb(origin), Jsonb(checks), times_real_time, print_id),
    )
    await _tell(conn, print_id)


async def set_ended(conn: Connection, print_id: UUID, *, asking: int, state: str, problem: str = "") -> None:
    """End the rendering of one asking without a file: 'failed' with a sentence, or 'stopped'."""
    await conn.execute(
        "UPDATE print SET state = %s, problem = %s WHERE id = %s AND asking = %s AND state <> 'ready'",
        (state, problem, print_id, asking),
    )
    await _tell(conn, print_id)


async def _tell(conn: Connection, print_id: UUID) -> None:
    print_ = await get_print(conn, print_id)
    news = {
        "print_id": str(print_id),
        "take_id": str(print_.take_id),
        "state": print_.state,
        "progress": round(print_.progress, 4),
        "times_real_time": print_.times_real_time,
    }
    await conn.execute("SELECT pg_notify(%s, %s)", (CHANNEL, json.dumps(news)))
