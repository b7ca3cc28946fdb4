"""What was measured of tones."""

from collections.abc import Sequence
from dataclasses import dataclass

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.core.tone.instruments import For
from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredMeasures:
    """Of a tone as its fingerprint tells it, for an instrument; `measured_by` is the version of the measuring."""

    fingerprint: str
    instrument: For
    measured_by: int
    figures: dict[str, float]
    thirds_db: list[float]


async def measures_of(conn: Connection, fingerprints: Sequence[str], *, measured_by: int) -> list[StoredMeasures]:
    """What is known of some tones, measured as it is now."""
    async with conn.cursor(row_factory=class_row(StoredMeasures)) as cur:
        await cur.execute(
            """
            SELECT fingerprint, instrument, measured_by, figures, thirds_db FROM tone_measure
            WHERE fingerprint = ANY(%s) AND measured_by = %s
            """,
            (list(fingerprints), measured_by),
        )
        return await cur.fetchall()


async def keep_measures(conn: Connection, measures: StoredMeasures) -> None:
    """Keep what was measured, in the place of what an older measuring gave."""
    await conn.execute(
        """
        INSERT INTO tone_measure (fingerprint, instrument, measured_by, figures, thirds_db) VALUES (%s, %s, %s, %s, %s)
        ON CONFLICT (fingerprint, instrument) DO UPDATE SET
            measured_by = excluded.measured_by, figures = excluded.figures, thirds_db = excluded.thirds_db
        """,
        (
            measures.fingerprint, measures.instrument, measures.measured_by, Jsonb(measures.figures),
            measures.thirds_db,
        ),
    )  # fmt: skip
