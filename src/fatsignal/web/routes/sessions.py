"""Sessions: make one, the song with its sections and parts, and its sheet."""

from typing import Literal
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field, field_validator

from fatsignal.acts.make_session import make_session
from fatsignal.core.timing.tempo import LEAD_IN_BARS, TempoMap, parse_tempo
from fatsignal.errors import InvalidSetting
from fatsignal.store import history, parts, sessions
from fatsignal.web.answers import answer_beside
from fatsignal.web.context import SettingsDep, Transaction
from fatsignal.web.presenters.sessions import Depth, SessionView, one_session
from fatsignal.web.presenters.sheet import SheetView, sheet_of

router = APIRouter(prefix="/api/sessions", tags=["sessions"])

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
_FIRST_SONG_BARS = 32


class SessionName(BaseModel, from_attributes=True):
    id: UUID
    name: str
    artist: str
    folder: str
    rate_hz: int
    depth: str


class About(BaseModel):
    """What a session is; its rate is settled once and for all, because audio is recorded at it."""

    name: str = Field(min_length=1, max_length=120)
    artist: str = Field(default="", max_length=120)
    depth: Depth = "24"
    reference_pitch_hz: float = Field(default=440.0, ge=380, le=480)

    @field_validator("name")
    @classmethod
    def _says_something(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("a session needs a name: type the song's")
        return name.strip()


class NewSession(About):
    rate_hz: int = 48_000
    tempo: str = Field(default="120", max_length=40, description="As a person types it.")
    beats_per_bar: int = Field(default=4, ge=1, le=32)
    unit: Literal[1, 2, 4, 8, 16, 32] = 4


class ChangedAbout(About):
    arm_together: bool = False


@router.get("")
async def all_sessions(conn: Transaction) -> list[SessionName]:
    """Every session, the oldest first."""
    return [SessionName.model_validate(session) for session in await sessions.list_sessions(conn)]


@router.post("", status_code=201)
async def new_session(new: NewSession, conn: Transaction, settings: SettingsDep) -> SessionView:
    """Make a session; its folder appears on disk with its name."""
    if new.rate_hz not in RATES_HZ:
        known = ", ".join(f"{rate:,}".replace(",", " ") for rate in RATES_HZ)
        raise InvalidSetting(f"a rate of {new.rate_hz} Hz is not possible: choose {known}")
    tempo = TempoMap.steady(
        parse_tempo(new.tempo), rate_hz=new.rate_hz, beats_per_bar=new.beats_per_bar, unit=new.unit,
        lead_in_bars=LEAD_IN_BARS,
    )  # fmt: skip
    session = await make_session(
        conn, settings.sessions_folder, name=new.name, artist=new.artist.strip(), depth=new.depth, tempo=tempo,
        song_bars=_FIRST_SONG_BARS, reference_pitch_hz=new.reference_pitch_hz,
    )  # fmt: skip
    return await one_session(session.id, conn)


@router.put("/{session_id}/about")
async def set_about(session_id: UUID, about: ChangedAbout, conn: Transaction) -> SessionView:
    """Change name, artist, depth, reference pitch, or whether several parts are armed. The folder keeps its name."""
    await sessions.get_session(conn, session_id)
    scope: history.Scope = {"session": [session_id], "part": None}
    async with history.act(conn, session_id, kind="about", says="the song's head changed", scope=scope):
        await sessions.set_about(
            conn, session_id, name=about.name, artist=about.artist.strip(), depth=about.depth,
            reference_pitch_hz=about.reference_pitch_hz, arm_together=about.arm_together,
        )  # fmt: skip
        if not about.arm_together:
            await parts.disarm_all_but_first(conn, session_id)
    return await one_session(session_id, conn)


@router.get("/{session_id}", response_model=SessionView)
async def the_session(session_id: UUID, conn: Transaction) -> Response:
    """The song with its sections, parts and beats."""
    song = await one_session(session_id, conn)
    return await answer_beside(SessionView, lambda: song)


@router.get("/{session_id}/sheet", response_model=SheetView)
async def sheet(session_id: UUID, part_id: UUID, conn: Transaction) -> Response:
    """The song sheet of one part: which bars are played by which take."""
    return await answer_beside(SheetView, await sheet_of(session_id, part_id, conn))
