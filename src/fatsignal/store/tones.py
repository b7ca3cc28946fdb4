"""Tones and their immutable revisions."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from psycopg.rows import class_row, dict_row
from psycopg.types.json import Jsonb

from fatsignal.core.tone.document import Tone
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class ToneRevision:
    id: UUID
    tone_id: UUID
    name: str
    revision: int
    document: dict[str, Any]
    fingerprint: str
    made_at: datetime

    @property
    def title(self) -> str:
        return f"{self.name}, revision {self.revision}"


_REVISION = (
    "tone_revision.id, tone_revision.tone_id, tone.name, tone_revision.revision, tone_revision.document,"
    " tone_revision.fingerprint, tone_revision.made_at"
)


async def keep_tone(
    conn: Connection, tone: Tone, *, tone_id: UUID | None = None, revision_id: UUID | None = None
) -> ToneRevision:
    """Keep a tone under its name: a new revision when it sounds different from all before, else the old one.

    What is new gets the ids that are given, or its own.
    """
    await conn.execute(
        "INSERT INTO tone (id, name) VALUES (coalesce(%s, gen_random_uuid()), %s) ON CONFLICT DO NOTHING",
        (tone_id, tone.name),
    )
    # The row lock makes two savers take different revision numbers.
    await conn.execute("SELECT 1 FROM tone WHERE name = %s FOR UPDATE", (tone.name,))
    await conn.execute(
        """
        INSERT INTO tone_revision (id, tone_id, revision, document, fingerprint)
        SELECT coalesce(%(id)s, gen_random_uuid()), tone.id, coalesce(max(old.revision), 0) + 1, %(document)s,
               %(fingerprint)s
        FROM tone LEFT JOIN tone_revision old ON old.tone_id = tone.id
        WHERE tone.name = %(name)s GROUP BY tone.id
        ON CONFLICT (tone_id, fingerprint) DO NOTHING
        """,
        {
            "id": revision_id,
            "name": tone.name,
            "document": Jsonb(tone.model_dump(mode="json")),
            "fingerprint": tone.fingerprint(),
        },
    )
    async with conn.cursor(row_factory=class_row(ToneRevision)) as cur:
        await cur.execute(
            f"""
            SELECT {_REVISION} FROM tone_revision JOIN tone ON tone.id = tone_revision.tone_id
            WHERE tone.name = %s AND tone_revision.fingerprint = %s
            """,
            (tone.name, tone.fingerprint()),
        )
        stored = await cur.fetchone()
    assert stored is not None, "the revision was just kept"
    return stored


async def list_newest(conn: Connection) -> list[ToneRevision]:
    """The newest revision of every tone, in the order in which the tones were made."""
    async with conn.cursor(row_factory=class_row(ToneRevision)) as cur:
        await cur.execute(
            f"""
            SELECT * FROM (
                SELECT DISTINCT ON (tone.id) {_REVISION}
                FROM tone_revision JOIN tone ON tone.id = tone_revision.tone_id
                ORDER BY tone.id, tone_revision.revision DESC
            ) newest
            ORDER BY (SELECT min(made_at) FROM tone_revision first WHERE first.tone_id = newest.tone_id), name
            """
        )
        return await cur.fetchall()


@dataclass(frozen=True, slots=True)
class KeptRevision:
    """A revision, and how many finished prints were made with it."""

    revision: ToneRevision
    prints: int


async def list_revisions(conn: Connection, tone_id: UUID) -> list[KeptRevision]:
    """Every revision of a tone, the newest first.

    Raises
    ------
    NotFound
        If there is no such tone.
    """
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(
            f"""
            SELECT {_REVISION},
                   (SELECT count(*) FROM print WHERE tone_revision_id = tone_revision.id AND file IS NOT NULL) AS prints
            FROM tone_revision JOIN tone ON tone.id = tone_revision.tone_id
            WHERE tone.id = %s ORDER BY tone_revision.revision DESC
            """,
            (tone_id,),
        )
        found = [KeptRevision(prints=row.pop("prints"), revision=ToneRevision(**row)) async for row in cur]
    if not found:
        raise NotFound("tone", tone_id)
    return found


async def get_revision(conn: Connection, revision_id: UUID) -> ToneRevision:
    async with conn.cursor(row_factory=class_row(ToneRevision)) as cur:
        await cur.execute(
            f"""
            SELECT {_REVISION} FROM tone_revision JOIN tone ON tone.id = tone_revision.tone_id
            WHERE tone_revision.id = %s
            """,
            (revision_id,),
        )
        revision = await cur.fetchone()
    if revision is None:
        raise NotFound("tone revision", revision_id)
    return revision


async def name_of(conn: Connection, tone_id: UUID) -> str:
    """What a tone is called."""
    async with conn.cursor() as cur:
        await cur.execute("SELECT name FROM tone WHERE id = %s", (tone_id,))
        row = await cur.fetchone()
    if row is None:
        raise NotFound("tone", tone_id)
    return str(row[0])
