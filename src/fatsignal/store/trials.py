"""Trial clips of a placement: some seconds of a part, with the rig that they were recorded with."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime
from typing import Any, LiteralString
from uuid import UUID

from psycopg.rows import dict_row
from psycopg.types.json import Jsonb

from fatsignal.core.takes.windows import Gap, Window
from fatsignal.errors import NotFound
from fatsignal.store.database import Connection, in_turns
from fatsignal.store.numbers import add_numbered
from fatsignal.store.takes import TakeChannel


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """`folder` is relative to the folder of all sessions; `span` is what of it is listened to, as a take's window."""

    id: UUID
    part_id: UUID
    number: int
    recorded_at: datetime
    rate_hz: int
    from_frame: int
    frames: int
    span: Window
    gaps: tuple[Gap, ...] = ()
    origin: str
    rig_sheet: dict[str, Any]
    channels: tuple[TakeChannel, ...]
    said: str = ""
    note: str = ""
    folder: str
    binned_at: datetime | None = None
    blend: dict[str, Any] = field(default_factory=dict)


_TRIAL: LiteralString = (
    "trial.id, trial.part_id, trial.number, trial.recorded_at, trial.rate_hz, trial.from_frame, trial.frames,"
    " ARRAY[lower(trial.span), upper(trial.span)] AS span, trial.gaps, trial.origin, trial.rig_sheet, trial.channels,"
    " trial.said, trial.note, trial.folder, trial.binned_at, trial.blend"
)


def _from_row(row: dict[str, Any]) -> Trial:
    row["span"] = Window(*row["span"])
    row["gaps"] = tuple(Gap(*gap) for gap in row["gaps"])
    row["channels"] = tuple(TakeChannel(**channel) for channel in row["channels"])
    return Trial(**row)


async def add_trial(conn: Connection, trial: Trial) -> tuple[Trial, bool]:
    """Enter a clip under its own number, or the next free one where its part has that already.

    False beside it where it was entered before, so that entering again is harmless.
    """
    number, new = await add_numbered(
        conn, "trial", trial.part_id, trial.number, lambda number: _insert(conn, replace(trial, number=number))
    )
    return replace(trial, number=number), new


async def _insert(conn: Connection, trial: Trial) -> bool:
    async with conn.cursor() as cur:
        await cur.execute(
            """
            INSERT INTO trial (id, part_id, number, recorded_at, rate_hz, from_frame, frames, span, gaps, origin,
                               rig_sheet, channels, said, note, folder, binned_at, blend)
            VALUES (%s, %s, %s, %s, %s, %s, %s, int8range(%s, %s), %s, %s, %s, %s, %s, %s, %s, %s, %s)
            ON CONFLICT (id) DO NOTHING
            """,
            (
                trial.id, trial.part_id, trial.number, trial.recorded_at, trial.rate_hz, trial.from_frame,
                trial.frames, *trial.span, Jsonb([[gap.at_frame, gap.frames] for gap in trial.gaps]), trial.origin,
                Jsonb(trial.rig_sheet), Jsonb([asdict(channel) for channel in trial.channels]), trial.said, trial.note,
                trial.folder, trial.binned_at, Jsonb(trial.blend),
            ),
        )  # fmt: skip
        return cur.rowcount > 0


async def list_trials(conn: Connection, part_id: UUID) -> list[Trial]:
    """Clips of a part that are not in the bin, the newest first."""
    return await _listed(conn, "trial.part_id = %s AND trial.binned_at IS NULL", part_id)


async def list_binned(conn: Connection, session_id: UUID) -> list[Trial]:
    """Clips of a session that are in its bin."""
    return await _listed(
        conn,
        "trial.part_id IN (SELECT id FROM part WHERE session_id = %s) AND trial.binned_at IS NOT NULL",
        session_id,
    )


async def _listed(conn: Connection, where: LiteralString, of: UUID) -> list[Trial]:
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_TRIAL} FROM trial WHERE {where} ORDER BY trial.number DESC", (of,))
        return [_from_row(row) async for row in in_turns(cur)]


async def get_trial(conn: Connection, trial_id: UUID) -> Trial:
    found = await trials_by_id(conn, [trial_id])
    if trial_id not in found:
        raise NotFound("trial clip", trial_id)
    return found[trial_id]


async def trials_by_id(conn: Connection, trial_ids: Sequence[UUID]) -> dict[UUID, Trial]:
    """Those of some ids that are clips, in one query."""
    async with conn.cursor(row_factory=dict_row) as cur:
        await cur.execute(f"SELECT {_TRIAL} FROM trial WHERE id = ANY(%s)", (list(trial_ids),))
        return {row["id"]: _from_row(row) async for row in in_turns(cur)}


async def set_binned(conn: Connection, trial_id: UUID, *, binned: bool) -> None:
    """Put a clip into the bin or take it out again; its audio stays where it is."""
    await _change(conn, trial_id, "binned_at = CASE WHEN %(value)s THEN now() END", binned)


async def set_note(conn: Connection, trial_id: UUID, note: str) -> None:
    await _change(conn, trial_id, "note = %(value)s", note)


async def set_blend(conn: Connection, trial_id: UUID, blend: dict[str, Any]) -> None:
    await _change(conn, trial_id, "blend = %(value)s", Jsonb(blend))


async def _change(conn: Connection, trial_id: UUID, change: LiteralString, value: object) -> None:
    async with conn.cursor() as cur:
        await cur.execute(f"UPDATE trial SET {change} WHERE id = %(id)s", {"id": trial_id, "value": value})
        if cur.rowcount == 0:
            raise NotFound("trial clip", trial_id)


async def remove_trials(conn: Connection, trial_ids: Sequence[UUID]) -> None:
    """Remove clips for good."""
    await conn.execute("DELETE FROM trial WHERE id = ANY(%s)", (list(trial_ids),))
