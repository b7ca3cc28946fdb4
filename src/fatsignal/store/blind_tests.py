"""Blind tests: what is compared, how it was dealt, what was chosen."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, LiteralString
from uuid import UUID

from psycopg.rows import class_row

from fatsignal.errors import NotFound
from fatsignal.store.database import Connection

BlindKind = Literal["trial", "comp", "tone"]


@dataclass(frozen=True, slots=True, kw_only=True)
class BlindTest:
    """`chosen` holds the sound that was chosen in each round that is decided; `subject_id` is whose sounds they are.

    `made_of` is the fingerprint of what makes them what they are, where that can change.
    """

    id: UUID
    session_id: UUID
    kind: BlindKind
    subject_id: UUID
    sounds: list[str]
    seed: int
    chosen: list[str]
    revealed: bool
    begun_at: datetime
    made_of: str


_TEST: LiteralString = "id, session_id, kind, subject_id, sounds, seed, chosen, revealed, begun_at, made_of"


async def begin_test(
    conn: Connection,
    *,
    session_id: UUID,
    kind: BlindKind,
    subject_id: UUID,
    sounds: Sequence[str],
    seed: int,
    made_of: str = "",
) -> BlindTest:
    async with conn.cursor(row_factory=class_row(BlindTest)) as cur:
        await cur.execute(
            f"""
            INSERT INTO blind_test (session_id, kind, subject_id, sounds, seed, made_of)
            VALUES (%s, %s, %s, %s, %s, %s)
            RETURNING {_TEST}
            """,
            (session_id, kind, subject_id, list(sounds), seed, made_of),
        )
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    return stored


async def newest_test(conn: Connection, kind: BlindKind, subject_id: UUID) -> BlindTest | None:
    """The last that was begun with sounds of a subject."""
    async with conn.cursor(row_factory=class_row(BlindTest)) as cur:
        await cur.execute(
            f"SELECT {_TEST} FROM blind_test WHERE kind = %s AND subject_id = %s ORDER BY begun_at DESC LIMIT 1",
            (kind, subject_id),
        )
        return await cur.fetchone()


async def get_test(conn: Connection, test_id: UUID) -> BlindTest:
    """One of them, held until the transaction ends: of two answers to one round the second is seen as such."""
    async with conn.cursor(row_factory=class_row(BlindTest)) as cur:
        await cur.execute(f"SELECT {_TEST} FROM blind_test WHERE id = %s FOR UPDATE", (test_id,))
        found = await cur.fetchone()
    if found is None:
        raise NotFound("blind test", test_id)
    return found


async def choose(conn: Connection, test_id: UUID, sound: str) -> None:
    """Decide the round that is on."""
    await conn.execute("UPDATE blind_test SET chosen = chosen || %s::text WHERE id = %s", (sound, test_id))


async def reveal(conn: Connection, test_id: UUID) -> None:
    """Tell what was behind the letters: no round follows."""
    await conn.execute("UPDATE blind_test SET revealed = true WHERE id = %s", (test_id,))
