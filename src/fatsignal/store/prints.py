"""Prints: the DI of a material through a tone revision, with the whole origin."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal
from uuid import UUID, uuid4

from psycopg.rows import class_row
from psycopg.types.json import Jsonb

from fatsignal.errors import NotFound
from fatsignal.store import works
from fatsignal.store.database import Connection

KIND = "print"
PrintState = Literal["waiting", "rendering", "ready", "failed", "stopped"]
STATES: dict[str, PrintState] = {
    "waiting": "waiting", "working": "rendering", "done": "ready", "failed": "failed", "stopped": "stopped",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Print:
    """`work_id` is the work that it comes of; state, progress and problem are that work's."""

    id: UUID
    material_id: UUID
    # Of the sound it was asked of: that of a comp changes when the comp does.
    material_fingerprint: str
    tone_revision_id: UUID
    tone_id: UUID
    tone_name: str
    tone_revision: int
    # Of the tone as it was kept last.
    newest_revision: int
    settings: dict[str, Any]
    channels: int
    work_id: UUID
    work_state: str
    progress: float
    times_real_time: float | None
    # How long its dry source is; None of what was asked for before that was told.
    seconds: float | None
    problem: str
    asked_at: datetime
    file: str | None
    sha256: str | None
    frames: int | None
    origin: dict[str, Any] | None
    checks: dict[str, Any] | None

    @property
    def copy_file(self) -> str | None:
        """The second file of the same sound, at another rate."""
        return self.origin.get("copy", {}).get("file") if self.origin else None

    @property
    def state(self) -> PrintState:
        """It is ready as long as there is a file, whatever was asked for since."""
        return "ready" if self.file is not None else STATES[self.work_state]


_PRINT = """
    SELECT print.id, print.material_id, print.material_fingerprint, print.tone_revision_id, tone.id AS tone_id,
           tone.name AS tone_name,
           tone_revision.revision AS tone_revision, newest.revision AS newest_revision, print.settings, print.channels,
           print.work_id, work.state AS work_state, work.progress,
           (work.detail ->> 'times_real_time')::real AS times_real_time, (work.detail ->> 'seconds')::real AS seconds,
           work.problem, print.asked_at, print.file,
           print.sha256, print.frames, print.origin, print.checks
    FROM print
    JOIN work ON work.id = print.work_id
    JOIN tone_revision ON tone_revision.id = print.tone_revision_id
    JOIN tone ON tone.id = tone_revision.tone_id
    CROSS JOIN LATERAL (
        SELECT max(revision) AS revision FROM tone_revision AS of_tone WHERE of_tone.tone_id = tone.id
    ) AS newest
"""


async def ask_for_print(
    conn: Connection, *, material_id: UUID, material_fingerprint: str, tone_revision_id: UUID,
    settings: dict[str, Any] | None = None, settings_fingerprint: str = "", seconds: float | None = None,
) -> tuple[Print, bool]:  # fmt: skip
    """The print of a material through a tone, and whether it must be rendered; one that failed or was stopped is asked
    for anew.

    Parameters
    ----------
    settings : how it is made, told apart by their fingerprint.
    seconds : how long the material is.
    """
    asked_for = (material_id, material_fingerprint, tone_revision_id, Jsonb(settings or {}), settings_fingerprint)
    # Its place is held before its work is asked for: two who ask at once ask for one.
    async with conn.transaction(), conn.cursor() as cur:
        await cur.execute(
            """
            INSERT INTO print (
                id, material_id, material_fingerprint, tone_revision_id, settings, settings_fingerprint, work_id
            )
            VALUES (%s, %s, %s, %s, %s, %s, gen_random_uuid())
            ON CONFLICT (material_id, material_fingerprint, tone_revision_id, settings_fingerprint)
            DO UPDATE SET asked_at = print.asked_at
            RETURNING id, file IS NOT NULL
            """,
            (uuid4(), *asked_for),
        )
        row = await cur.fetchone()
        assert row is not None, "INSERT ... RETURNING gave no row"
        print_id, is_there = UUID(str(row[0])), bool(row[1])
        if is_there:
            return await get_print(conn, print_id), False
        await cur.execute(
            "SELECT part.session_id FROM material JOIN part ON part.id = material.part_id WHERE material.id = %s",
            (material_id,),
        )
        of_session = await cur.fetchone()
        assert of_session is not None, "the print refers to it"
        detail = {"print_id": str(print_id), "material_id": str(material_id), "seconds": seconds}
        work, asked = await works.ask(
            conn, kind=KIND, fingerprint=str(print_id), work_input={"print_id": str(print_id)},
            session_id=UUID(str(of_session[0])), detail=detail,
        )  # fmt: skip
        await cur.execute(
            "UPDATE print SET work_id = %s, asked_at = CASE WHEN %s THEN now() ELSE asked_at END WHERE id = %s",
            (work.id, asked, print_id),
        )
    return await get_print(conn, print_id), asked


async def get_print(conn: Connection, print_id: UUID) -> Print:
    found = await prints_by_id(conn, [print_id])
    if not found:
        raise NotFound("print", print_id)
    return found[0]


async def prints_by_id(conn: Connection, print_ids: Sequence[UUID]) -> list[Print]:
    """Those of some ids that are prints, in one query."""
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(f"{_PRINT} WHERE print.id = ANY(%s)", (list(print_ids),))
        return await cur.fetchall()


async def list_prints(conn: Connection, session_id: UUID) -> list[Print]:
    async with conn.cursor(row_factory=class_row(Print)) as cur:
        await cur.execute(
            f"""
            {_PRINT} JOIN material ON material.id = print.material_id JOIN part ON part.id = material.part_id
            WHERE part.session_id = %s ORDER BY print.asked_at
            """,
            (session_id,),
        )
        return await cur.fetchall()


async def under_way(conn: Connection, session_id: UUID) -> list[Print]:
    """Those of a session that wait or are rendered, in the order in which they were asked for."""
    return [each for each in await list_prints(conn, session_id) if each.state in ("waiting", "rendering")]


async def set_file(
    conn: Connection, print_id: UUID, *, file: str, sha256: str, frames: int, origin: dict[str, Any],
    checks: dict[str, Any], channels: int = 1,
) -> None:  # fmt: skip
    """Say where the finished file is, and all that is needed to make it again."""
    await conn.execute(
        "UPDATE print SET file = %s, sha256 = %s, frames = %s, origin = %s, checks = %s, channels = %s WHERE id = %s",
        (file, sha256, frames, Jsonb(origin), Jsonb(checks), channels, print_id),
    )
