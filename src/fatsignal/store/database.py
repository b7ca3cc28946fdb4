"""Connecting to PostgreSQL, and bringing its schema up to date."""

from importlib.resources import files

from procrastinate.schema import SchemaManager
from psycopg import AsyncConnection
from psycopg.conninfo import make_conninfo
from psycopg_pool import AsyncConnectionPool

Connection = AsyncConnection[tuple[object, ...]]

# Any number that no other program on the same server uses: two starts must not migrate at once.
_MIGRATION_LOCK = 7_120_416
# A pool that lost its server tries for so long, then again whenever it is asked: a server that is back is found at
# once. Left to itself it would wait longer and longer between its tries.
RECONNECT_S = 2.0
WAIT_S = 5.0


def open_pool(database_url: str, *, largest: int = 8) -> AsyncConnectionPool[Connection]:
    """A pool, not yet open, that gives up a request after five seconds without a server."""
    return AsyncConnectionPool(
        make_conninfo(database_url, connect_timeout=5),
        min_size=1,
        max_size=largest,
        timeout=WAIT_S,
        reconnect_timeout=RECONNECT_S,
        open=False,
        check=AsyncConnectionPool.check_connection,
    )


async def migrate(database_url: str) -> list[str]:
    """Run the migrations that have not run, in order, each in its own transaction; returns their names."""
    async with await AsyncConnection.connect(database_url, autocommit=True) as conn:
        await conn.execute("SELECT pg_advisory_lock(%s)", (_MIGRATION_LOCK,))
        await conn.execute(
            "CREATE TABLE IF NOT EXISTS migration (name text PRIMARY KEY, ran_at timestamptz NOT NULL DEFAULT now())"
        )
        rows = await (await conn.execute("SELECT name FROM migration")).fetchall()
        done = {row[0] for row in rows}
        ran = []
        for name, statements in _migrations():
            if name in done:
                continue
            async with conn.transaction():
                await conn.execute(statements.encode())
                await conn.execute("INSERT INTO migration (name) VALUES (%s)", (name,))
            ran.append(name)
        return ran


def _migrations() -> list[tuple[str, str]]:
    folder = files("fatsignal.store") / "migrations"
    own = sorted((entry.name, entry.read_text()) for entry in folder.iterdir() if entry.name.endswith(".sql"))
    # The queue's own schema comes with its package; it is recorded among ours so that it runs once.
    return [*own, ("procrastinate", SchemaManager.get_schema())]
