"""What is to be printed in the next batch of a session, as it was marked."""

from typing import Any
from uuid import UUID

from psycopg.rows import tuple_row
from psycopg.types.json import Jsonb

from fatsignal.store.database import Connection


async def get_plan(conn: Connection, session_id: UUID) -> dict[str, Any]:
    """The plan as JSON; empty where nothing was marked yet."""
    async with conn.cursor(row_factory=tuple_row) as cur:
        await cur.execute("SELECT plan FROM print_plan WHERE session_id = %s", (session_id,))
        row = await cur.fetchone()
    plan: dict[str, Any] = row[0] if row else {}
    return plan


async def set_plan(conn: Connection, session_id: UUID, plan: dict[str, Any]) -> None:
    await conn.execute(
        "INSERT INTO print_plan (session_id, plan) VALUES (%s, %s) "
        "ON CONFLICT (session_id) DO UPDATE SET plan = excluded.plan",
        (session_id, Jsonb(plan)),
    )
