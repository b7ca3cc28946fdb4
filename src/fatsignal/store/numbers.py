"""Numbers of takes and of trial clips among their part's: none is used twice, not even after the bin."""

from collections.abc import Awaitable, Callable
from typing import Literal, LiteralString
from uuid import UUID

from psycopg.errors import UniqueViolation

from fatsignal.store.database import Connection

Counted = Literal["take", "trial"]

_HIGHEST: dict[Counted, LiteralString] = {
    "take": "SELECT coalesce(max(number), 0) FROM take WHERE part_id = %s",
    "trial": "SELECT coalesce(max(number), 0) FROM trial WHERE part_id = %s",
}


async def highest_number(conn: Connection, counted: Counted, part_id: UUID) -> int:
    """Of a part's takes or clips, 0 without any."""
    row = await (await conn.execute(_HIGHEST[counted], (part_id,))).fetchone()
    assert row is not None, "an aggregate always gives a row"
    return int(str(row[0]))


async def add_numbered(
    conn: Connection, counted: Counted, part_id: UUID, number: int, add: Callable[[int], Awaitable[bool]]
) -> tuple[int, bool]:
    """Add something under its own number, or the next free one where its part has that already.

    Gives the number, and what `add` says: False where it was entered before, so that entering again is harmless.
    """
    while True:
        try:
            async with conn.transaction():
                return number, await add(number)
        except UniqueViolation as taken:
            if taken.diag.constraint_name != f"{counted}_number_unique":
                raise
            number = 1 + await highest_number(conn, counted, part_id)
