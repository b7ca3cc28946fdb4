"""Work: what was asked for and takes longer than an answer may; who holds it, how far it is, what came of it."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection

# Every change is told on this channel, as JSON: id, kind, state, progress, session and detail.
CHANNEL = "fatsignal_work"
# A holder that was not heard of for so long is taken for dead.
STALLED_S = 4.0
# What ended its worker so often is not tried again by itself.
MOST_ATTEMPTS = 3

WorkState = Literal["waiting", "working", "done", "failed", "stopped"]
ENDS: tuple[WorkState, ...] = ("done", "failed", "stopped")


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    id: UUID
    kind: str
    fingerprint: str
    input: dict[str, Any]
    session_id: UUID | None
    state: WorkState
    progress: float
    detail: dict[str, Any]
    attempts: int
    holder: UUID | None
    problem: str
    result: Any
    asked_at: datetime

    @property
    def ended(self) -> bool:
        return self.state in ENDS


_WORK = "id, kind, fingerprint, input, session_id, state, progress, detail, attempts, holder, problem, result, asked_at"


async def ask(
    conn: Connection, *, kind: str, fingerprint: str, work_input: dict[str, Any], session_id: UUID | None = None,
    detail: dict[str, Any] | None = None, anew: bool = False,
) -> tuple[Work, bool]:  # fmt: skip
    """The work on an input, and whether it is new: what failed or was stopped is asked for anew, all else is one.

    What is done is done again where it is asked for `anew`, as when the file that came of it is gone.
    """
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            INSERT INTO work (kind, fingerprint, input, session_id, detail) VALUES (%s, %s, %s, %s, %s)
            ON CONFLICT (kind, fingerprint) DO UPDATE
            SET state = 'waiting', progress = 0, attempts = 0, holder = NULL, problem = '', result = NULL,
                input = excluded.input, detail = excluded.detail, asked_at = now(), ended_at = NULL
            WHERE work.state IN ('failed', 'stopped') OR (%s AND work.state = 'done')
            RETURNING {_WORK}
            """,
            (kind, fingerprint, Jsonb(work_input), session_id, Jsonb(detail or {}), anew),
        )
        asked = await cur.fetchone()
        if asked is not None:
            await _tell(conn, asked)
            return asked, True
        await cur.execute(f"SELECT {_WORK} FROM work WHERE kind = %s AND fingerprint = %s", (kind, fingerprint))
        stored = await cur.fetchone()
    assert stored is not None, "what conflicts is there"
    return stored, False


async def get_work(conn: Connection, work_id: UUID) -> Work:
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(f"SELECT {_WORK} FROM work WHERE id = %s", (work_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("work", work_id)
    return found


async def find_done(conn: Connection, *, kind: str, fingerprint: str) -> Work | None:
    """What came of an input before, if it is done."""
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"SELECT {_WORK} FROM work WHERE kind = %s AND fingerprint = %s AND state = 'done'", (kind, fingerprint)
        )
        return await cur.fetchone()


async def claim(conn: Connection, work_id: UUID, *, holder: UUID) -> Work | None:
    """Become the holder of what waits, or of what a dead one holds; None where somebody else works on it or it ended.

    What ended its worker too often fails here: whoever takes it up next may die of it too.
    """
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            UPDATE work SET
                state = CASE WHEN attempts < %(most)s THEN 'working' ELSE 'failed' END,
                holder = CASE WHEN attempts < %(most)s THEN %(holder)s::uuid END,
                problem = CASE WHEN attempts < %(most)s THEN '' ELSE %(died)s END,
                ended_at = CASE WHEN attempts < %(most)s THEN NULL ELSE now() END,
                attempts = attempts + 1, seen_at = now()
            WHERE id = %(id)s
              AND (state = 'waiting' OR (state = 'working' AND seen_at < now() - make_interval(secs => %(stalled)s)))
            RETURNING {_WORK}
            """,
            {"id": work_id, "holder": holder, "most": MOST_ATTEMPTS, "stalled": STALLED_S, "died": _DIED},
        )
        claimed = await cur.fetchone()
    if claimed is None:
        return None
    await _tell(conn, claimed)
    return claimed if claimed.state == "working" else None


_DIED = f"whoever worked on it ended in the middle, {MOST_ATTEMPTS} times: see the log of the workers, and ask again"


async def say(conn: Connection, work_id: UUID, *, holder: UUID, progress: float, detail: dict[str, Any]) -> bool:
    """How far its holder is; False where it is not the holder any more: stopped, or taken for dead."""
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            UPDATE work SET progress = %s, detail = detail || %s, seen_at = now()
            WHERE id = %s AND holder = %s RETURNING {_WORK}
            """,
            (min(1.0, progress), Jsonb(detail), work_id, holder),
        )
        told = await cur.fetchone()
    if told is not None:
        await _tell(conn, told)
    return told is not None


async def end(
    conn: Connection, work_id: UUID, *, holder: UUID, state: WorkState, result: Any = None, problem: str = ""
) -> bool:
    """What came of it, from its holder; False where it is not the holder any more, and nothing is changed."""
    return await _end(conn, "holder = %(holder)s", work_id, state, result, problem, holder)


async def stop(conn: Connection, work_id: UUID) -> bool:
    """Stop what waits or is worked on; False where it ended before."""
    return await _end(conn, "state IN ('waiting', 'working')", work_id, "stopped", None, "", None)


async def give_back(conn: Connection, work_id: UUID, *, holder: UUID) -> None:
    """A worker that is told to end lays down what it holds: it waits for another, and that was no attempt."""
    await conn.execute(
        """
        UPDATE work SET state = 'waiting', holder = NULL, attempts = greatest(0, attempts - 1)
        WHERE id = %s AND holder = %s
        """,
        (work_id, holder),
    )


async def somebody_works(conn: Connection) -> bool:
    """Whether any worker has said lately that it lives."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            SELECT EXISTS (
                SELECT 1 FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => %s)
            )
            """,
            (2 * STALLED_S,),
        )
        row = await cur.fetchone()
    return row is not None and bool(row[0])


async def list_works(conn: Connection, *, kind: str, session_id: UUID | None = None) -> list[Work]:
    """Those of a kind, of a session or of all; the one that was asked for last comes first."""
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            SELECT {_WORK} FROM work WHERE kind = %s AND (%s::uuid IS NULL OR session_id = %s) ORDER BY asked_at DESC
            """,
            (kind, session_id, session_id),
        )
        return await cur.fetchall()


async def take_from_the_dead(conn: Connection) -> None:
    """What those held that say nothing any more waits again; what they made of it is lost."""
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            UPDATE work SET state = 'waiting', holder = NULL, progress = 0
            WHERE state = 'working' AND seen_at < now() - make_interval(secs => %s) RETURNING {_WORK}
            """,
            (STALLED_S,),
        )
        taken = await cur.fetchall()
    for work in taken:
        await _tell(conn, work)


async def left_alone(conn: Connection) -> list[UUID]:
    """What waits and no job works on it: the oldest first."""
    async with conn.cursor() as cur:
        await cur.execute(
            """
            SELECT work.id FROM work
            WHERE state = 'waiting' AND asked_at < now() - interval '1 second'
              AND NOT EXISTS (
                  SELECT 1 FROM procrastinate_jobs job
                  WHERE job.queueing_lock = work.id::text AND job.status = 'todo'
              )
            ORDER BY asked_at
            """
        )
        return [UUID(str(row[0])) async for row in cur]


async def forget_old(conn: Connection, kind: str, *, kept: int) -> None:
    """Forget all but the newest that ended of a kind."""
    await conn.execute(
        """
        DELETE FROM work WHERE id IN (
            SELECT id FROM work WHERE kind = %s AND ended_at IS NOT NULL ORDER BY ended_at DESC OFFSET %s
        )
        """,
        (kind, kept),
    )


async def _end(
    conn: Connection, whose: Literal["holder = %(holder)s", "state IN ('waiting', 'working')"], work_id: UUID,
    state: WorkState, result: Any, problem: str, holder: UUID | None,
) -> bool:  # fmt: skip
    async with conn.cursor(row_factory=class_row(Work)) as cur:
        await cur.execute(
            f"""
            UPDATE work SET state = %(state)s, holder = NULL, result = %(result)s, problem = %(problem)s,
                            ended_at = now(), progress = CASE WHEN %(state)s = 'done' THEN 1 ELSE progress END
            WHERE id = %(id)s AND {whose} RETURNING {_WORK}
            """,
            {
                "id": work_id, "holder": holder, "state": state, "problem": problem,
                "result": None if result is None else Jsonb(result),
            },
        )  # fmt: skip
        ended = await cur.fetchone()
    if ended is not None:
        await _tell(conn, ended)
    return ended is not None


async def _tell(conn: Connection, work: Work) -> None:
    news = {
        "work_id": str(work.id),
        "kind": work.kind,
        "state": work.state,
        "progress": round(work.progress, 4),
        "session_id": str(work.session_id) if work.session_id else None,
        "detail": work.detail,
    }
    await conn.execute("SELECT pg_notify(%s, %s)", (CHANNEL, json.dumps(news)))
