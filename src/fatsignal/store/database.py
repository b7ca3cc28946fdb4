"""Connecting to PostgreSQL, and bringing its schema up to date."""

import asyncio
import hashlib
from collections.abc import AsyncIterator
from importlib.resources import files
from pathlib import Path
from typing import TypeVar

from procrastinate.schema import SchemaManager
from psycopg import AsyncConnection, AsyncCursor
from psycopg.conninfo import make_conninfo
from psycopg_pool import AsyncConnectionPool

from fatsignal.errors import SetUpFailed

Connection = AsyncConnection[tuple[object, ...]]
Row = TypeVar("Row")

# Any number that no other program on the same server uses: two starts must not migrate at once.
_MIGRATION_LOCK = 7_120_416
# Databases that were made before the queue's steps were noted had its whole schema up to this one.
_NEWEST_WHEN_NOT_NOTED = "03.04.00_50_post_add_retry_failed_job_procedure.sql"
# A pool that lost its server tries for so long, then again whenever it is asked: a server that is back is found at
# once. Left to itself it would wait longer and longer between its tries.
RECONNECT_S = 2.0
WAIT_S = 10.0
# A server that is away refuses at once; one that is slow to answer, as on a computer that just wakes, is waited for.
_CONNECT_S = 15
# So many connections are there before anyone asks: a first question is not held up by making one.
_READY = 4
_MOST = 8
ROWS_IN_A_TURN = 50


def open_pool(database_url: str) -> AsyncConnectionPool[Connection]:
    """A pool, not yet open, that gives up a request after ten seconds without a server."""
    return AsyncConnectionPool(
        make_conninfo(database_url, connect_timeout=_CONNECT_S),
        min_size=_READY,
        max_size=_MOST,
        timeout=WAIT_S,
        reconnect_timeout=RECONNECT_S,
        open=False,
        check=AsyncConnectionPool.check_connection,
    )


async def in_turns(cur: AsyncCursor[Row]) -> AsyncIterator[Row]:
    """The rows that a query gave, some in each turn of the event loop: a thousand takes do not hold up the sound."""
    while rows := await cur.fetchmany(ROWS_IN_A_TURN):
        for row in rows:
            yield row
        await asyncio.sleep(0)


async def migrate(database_url: str) -> list[str]:
    """Run the migrations that have not run, in order, each in its own transaction; returns their names.

    Raises
    ------
    SetUpFailed
        If one that has run here is another by now: what it made is not what this release counts on.
    """
    async with await AsyncConnection.connect(database_url, autocommit=True) as conn:
        await conn.execute("SELECT pg_advisory_lock(%s)", (_MIGRATION_LOCK,))
        await conn.execute(
            "CREATE TABLE IF NOT EXISTS migration (name text PRIMARY KEY, ran_at timestamptz NOT NULL DEFAULT now())"
        )
        await conn.execute("ALTER TABLE migration ADD COLUMN IF NOT EXISTS sha256 text")
        rows = await (await conn.execute("SELECT name, sha256 FROM migration")).fetchall()
        done = {str(row[0]): row[1] for row in rows}
        ran = []
        for name, statements in _migrations(fresh="procrastinate" not in done):
            # Of ours: the package answers for its own.
            ours = not name.startswith("procrastinate")
            checksum = hashlib.sha256(statements.encode()).hexdigest() if ours else None
            if name in done:
                if done[name] not in (None, checksum):
                    raise SetUpFailed(
                        f"the database was made by another version of {name}: start the release that made it, or set "
                        "FATSIGNAL_DATA to another folder"
                    )
                continue
            async with conn.transaction():
                if statements:
                    await conn.execute(statements.encode())
                await conn.execute("INSERT INTO migration (name, sha256) VALUES (%s, %s)", (name, checksum))
            ran.append(name)
        return ran


def _migrations(*, fresh: bool) -> list[tuple[str, str]]:
    """Names and statements, the oldest first.

    The queue's own schema comes with its package: as a whole where there is none, and then by the package's own steps,
    so that a newer package finds what it needs. Those that a whole schema holds are noted without being run.
    """
    folder = files("fatsignal.store") / "migrations"
    own = sorted((entry.name, entry.read_text()) for entry in folder.iterdir() if entry.name.endswith(".sql"))
    # 0008 refers to nothing of the queue's: the order between the two does not matter.
    steps = sorted(Path(SchemaManager.get_migrations_path()).glob("*.sql"))
    queue = [("procrastinate", SchemaManager.get_schema() if fresh else "")]
    known = [
        (f"procrastinate {step.name}", "" if fresh or step.name <= _NEWEST_WHEN_NOT_NOTED else step.read_text())
        for step in steps
    ]
    return [*own, *queue, *known]
