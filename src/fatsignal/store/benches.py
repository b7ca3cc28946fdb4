"""Benches: for every part the tone that is being worked out, what goes round through it, what it is held against."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.core.tone.document import Tone, parse_tone
from fatsignal.store.database import Connection


@dataclass(frozen=True, kw_only=True)
class Bench:
    """`id` is the part's. `document` is the tone as it is turned; `tone_revision_id` the revision that it was taken
    from.

    `material_id` None is what the part sounds like; without bars a section of it goes round. `aside` holds tones that
    were put aside, by their letter; `beside` what was laid beside by hand, each as its key.
    """

    id: UUID
    document: dict[str, Any]
    tone_revision_id: UUID | None
    material_id: UUID | None = None
    from_bar: int | None = None
    to_bar: int | None = None
    aside: dict[str, dict[str, Any]] = field(default_factory=dict)
    beside: list[str] = field(default_factory=list)
    heard: str = "tone"

    @cached_property
    def tone(self) -> Tone:
        return parse_tone(self.document)


_BENCH = "id, document, tone_revision_id, material_id, from_bar, to_bar, aside, beside, heard"


async def find_bench(conn: Connection, part_id: UUID) -> Bench | None:
    """The bench of a part, if something was laid on it."""
    async with conn.cursor(row_factory=class_row(Bench)) as cur:
        await cur.execute(f"SELECT {_BENCH} FROM bench WHERE id = %s", (part_id,))
        return await cur.fetchone()


async def set_bench(conn: Connection, bench: Bench) -> None:
    """Lay something on a part's bench; which sound is heard there stays as it is."""
    await conn.execute(
        f"""
        INSERT INTO bench ({_BENCH}) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)
        ON CONFLICT (id) DO UPDATE SET
            document = excluded.document, tone_revision_id = excluded.tone_revision_id,
            material_id = excluded.material_id, from_bar = excluded.from_bar, to_bar = excluded.to_bar,
            aside = excluded.aside, beside = excluded.beside
        """,
        (
            bench.id, Jsonb(bench.document), bench.tone_revision_id, bench.material_id, bench.from_bar, bench.to_bar,
            Jsonb(bench.aside), Jsonb(bench.beside), bench.heard,
        ),
    )  # fmt: skip


async def set_heard(conn: Connection, part_id: UUID, heard: str) -> None:
    """Which of the sounds is heard: no act, nothing to undo."""
    await conn.execute("UPDATE bench SET heard = %s WHERE id = %s", (heard, part_id))
