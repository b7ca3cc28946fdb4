"""What the DI of a take stands for in volts: what tells it, and what a person said."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from psycopg.rows import class_row

from fatsignal.store.database import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class WhatTellsVolts:
    """What is known of the voltage that a take's DI stands for."""

    take_id: UUID
    was_rolled: bool
    rig_sheet: dict[str, Any]
    di_full_scale_v: float | None
    di_peak_dbfs: float | None


async def what_tells_volts(conn: Connection, take_ids: Sequence[UUID]) -> list[WhatTellsVolts]:
    """Of those of some ids that are takes."""
    async with conn.cursor(row_factory=class_row(WhatTellsVolts)) as cur:
        await cur.execute(
            """
            SELECT take.id AS take_id, take.origin <> 'imported' AS was_rolled, take.rig_sheet, take.di_full_scale_v,
                   (SELECT (checks ->> 'peak_dbfs')::double precision FROM take_channel
                    WHERE take_id = take.id AND kind = 'di' ORDER BY position LIMIT 1) AS di_peak_dbfs
            FROM take WHERE take.id = ANY(%s)
            """,
            (list(take_ids),),
        )
        return await cur.fetchall()


async def set_di_voltage(conn: Connection, take_id: UUID, full_scale_v: float | None) -> None:
    """Say what the DI of a take stands for; None: what its rig sheet tells."""
    await conn.execute("UPDATE take SET di_full_scale_v = %s WHERE id = %s", (full_scale_v, take_id))
