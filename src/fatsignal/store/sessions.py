"""Sessions: one song each, with its tempo map, click and rate."""

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from functools import cached_property
from typing import Any
from uuid import UUID

from psycopg.rows import class_row
from psycopg.types.json import Jsonb
from pydantic import TypeAdapter

from fatsignal.core.cue.mix import CueMix
from fatsignal.core.level.depth import Depth
from fatsignal.core.takes.roll_plan import RollSettings
from fatsignal.core.timing.beats import shared
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import NotFound
from fatsignal.store.cues import OWN_NAME, add_cue
from fatsignal.store.database import Connection

_TEMPOS: TypeAdapter[tuple[TempoChange, ...]] = TypeAdapter(tuple[TempoChange, ...])
_METERS: TypeAdapter[tuple[MeterChange, ...]] = TypeAdapter(tuple[MeterChange, ...])


@dataclass(frozen=True, kw_only=True)
class Session:
    """`folder` lies below the folder of all sessions; `tempos`, `meters` and `click` are documents."""

    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: Depth
    reference_pitch_hz: Decimal
    tempos: list[dict[str, Any]]
    meters: list[dict[str, Any]]
    bar_one_frame: int
    song_bars: int
    click: dict[str, Any]
    arm_together: bool
    roll: dict[str, Any]
    blend: dict[str, Any]
    folder: str
    created_at: datetime

    @cached_property
    def tempo(self) -> TempoMap:
        tempos, meters = _TEMPOS.validate_python(self.tempos), _METERS.validate_python(self.meters)
        return shared(TempoMap(self.rate_hz, tempos, meters, self.bar_one_frame))

    @cached_property
    def click_settings(self) -> ClickSettings:
        return ClickSettings.model_validate(self.click)

    @cached_property
    def blend_mix(self) -> CueMix:
        return CueMix.model_validate(self.blend)

    @cached_property
    def roll_settings(self) -> RollSettings:
        return RollSettings.model_validate(self.roll)


_SESSION = (
    "id, name, artist, rate_hz, depth, reference_pitch_hz, tempos, meters, bar_one_frame, song_bars, click,"
    " arm_together, roll, blend, folder, created_at"
)


async def add_session(
    conn: Connection, *, name: str, artist: str, depth: str, tempo: TempoMap, song_bars: int, folder: str,
    reference_pitch_hz: float = 440.0,
) -> Session:  # fmt: skip
    """Insert a session and return it as stored; its rate is that of its tempo map."""
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(
            f"""
            INSERT INTO session (name, artist, rate_hz, depth, reference_pitch_hz, tempos, meters, bar_one_frame,
                                 song_bars, folder)
            VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)
            RETURNING {_SESSION}
            """,
            (
                name, artist, tempo.rate_hz, depth, reference_pitch_hz, *_documents(tempo), tempo.bar_one_frame,
                song_bars, folder,
            ),
        )  # fmt: skip
        stored = await cur.fetchone()
    assert stored is not None, "INSERT ... RETURNING gave no row"
    # Whoever plays is a listener from the beginning.
    await add_cue(conn, session_id=stored.id, name=OWN_NAME, mix=CueMix())
    return stored


async def list_sessions(conn: Connection) -> list[Session]:
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(f"SELECT {_SESSION} FROM session ORDER BY created_at")
        return await cur.fetchall()


async def get_session(conn: Connection, session_id: UUID) -> Session:
    async with conn.cursor(row_factory=class_row(Session)) as cur:
        await cur.execute(f"SELECT {_SESSION} FROM session WHERE id = %s", (session_id,))
        session = await cur.fetchone()
    if session is None:
        raise NotFound("session", session_id)
    return session


async def set_tempo(conn: Connection, session_id: UUID, *, tempo: TempoMap, song_bars: int) -> None:
    await conn.execute(
        "UPDATE session SET tempos = %s, meters = %s, bar_one_frame = %s, song_bars = %s WHERE id = %s",
        (*_documents(tempo), tempo.bar_one_frame, song_bars, session_id),
    )


async def set_click(conn: Connection, session_id: UUID, click: ClickSettings) -> None:
    await conn.execute("UPDATE session SET click = %s WHERE id = %s", (Jsonb(click.model_dump()), session_id))


async def set_blend(conn: Connection, session_id: UUID, blend: CueMix) -> None:
    await conn.execute(
        "UPDATE session SET blend = %s WHERE id = %s", (Jsonb(blend.model_dump(mode="json")), session_id)
    )


async def set_roll(conn: Connection, session_id: UUID, roll: RollSettings) -> None:
    await conn.execute("UPDATE session SET roll = %s WHERE id = %s", (Jsonb(roll.model_dump(mode="json")), session_id))


async def set_about(
    conn: Connection, session_id: UUID, *, name: str, artist: str, depth: str, reference_pitch_hz: float,
    arm_together: bool,
) -> None:  # fmt: skip
    await conn.execute(
        """
        UPDATE session SET name = %s, artist = %s, depth = %s, reference_pitch_hz = %s, arm_together = %s
        WHERE id = %s
        """,
        (name, artist, depth, reference_pitch_hz, arm_together, session_id),
    )


def _documents(tempo: TempoMap) -> tuple[Jsonb, Jsonb]:
    return (
        Jsonb(_TEMPOS.dump_python(tempo.tempos, mode="json")),
        Jsonb(_METERS.dump_python(tempo.meters, mode="json")),
    )
