"""Sessions: make one, the song with its sections and parts, and its sheet."""

import asyncio
from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import Literal
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field, field_validator

from fatsignal.acts.make_session import make_session
from fatsignal.acts.materials import played
from fatsignal.core.song.questions import Question, changes_inside, tempo_in_words
from fatsignal.core.takes.performance import Played
from fatsignal.core.takes.sheet import sheet_line
from fatsignal.core.timing.beats import bar_tempos, beats_of
from fatsignal.core.timing.click import ClickSettings
from fatsignal.core.timing.tempo import LEAD_IN_BARS, LONGEST_SONG_BARS, MeterChange, TempoChange, TempoMap, parse_tempo
from fatsignal.errors import SettingRefused
from fatsignal.store import history, parts, sections, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sections import Section
from fatsignal.store.sessions import Session
from fatsignal.web.answers import answer_beside
from fatsignal.web.context import Place, Transaction
from fatsignal.web.revisions import check_revision, revision_of
from fatsignal.web.views import PartView, SectionView, part_view

router = APIRouter(prefix="/api/sessions", tags=["sessions"])

Depth = Literal["16", "24", "32f"]
RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
_FIRST_SONG_BARS = 32


class SessionName(BaseModel, from_attributes=True):
    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: str


class TempoView(BaseModel):
    """A change of tempo; `says` is the tempo as it is typed: "104", "104.2" or "311/3"."""

    bar: int
    bpm: float
    says: str
    ramp: bool
    meant: bool


class SessionView(BaseModel):
    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: Depth
    reference_pitch_hz: float
    arm_together: bool
    folder: str
    tempo_words: str = Field(description='As in "104 beats a minute, 4/4".')
    tempos: list[TempoView]
    meters: list[MeterChange]
    song_bars: int
    bar_bpm: list[float] = Field(
        description="Tempo at the beginning of each bar, from bar 1; the song's end comes last."
    )
    questions: list[Question]
    click: ClickSettings
    last_bar: int
    beat_frames: list[int] = Field(description="Frame of every beat, from some bars before the song on.")
    beat_bars: list[int] = Field(description="Bar of each of `beat_frames`.")
    beat_numbers: list[int] = Field(description="Beat within its bar of each of `beat_frames`, from 1.")
    sections: list[SectionView]
    parts: list[PartView]
    revision: str = Field(description="Of tempo map and sections: a change of them is sent with it (If-Match).")


class BarView(BaseModel, from_attributes=True):
    number: int
    from_frame: int
    to_frame: int
    take_id: UUID | None


class PhraseView(BaseModel, from_attributes=True):
    first_bar: int
    bars: int
    from_frame: int
    to_frame: int


class SheetLineView(BaseModel):
    section: SectionView
    from_frame: int
    to_frame: int
    bars: list[BarView]
    phrases: list[PhraseView]
    take_ids: list[UUID] = Field(description="All that touch it, the newest first.")
    first_take_id: UUID | None = Field(description="Of these the one that counts most: what is shown and heard first.")
    missing_bars: int


class SheetView(BaseModel):
    """The song as a chart: one line a section."""

    part_id: UUID
    lines: list[SheetLineView]
    missing_bars: int
    takes: int


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
async def new_session(new: NewSession, conn: Transaction, place: Place) -> SessionView:
    """Make a session; its folder appears on disk with its name."""
    if new.rate_hz not in RATES_HZ:
        known = ", ".join(f"{rate:,}".replace(",", " ") for rate in RATES_HZ)
        raise SettingRefused(f"a rate of {new.rate_hz} Hz is not possible: choose {known}")
    tempo = TempoMap.steady(
        parse_tempo(new.tempo), rate_hz=new.rate_hz, beats_per_bar=new.beats_per_bar, unit=new.unit,
        lead_in_bars=LEAD_IN_BARS,
    )  # fmt: skip
    session = await make_session(
        conn, place.sessions_folder, name=new.name, artist=new.artist.strip(), depth=new.depth, tempo=tempo,
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


async def one_session(session_id: UUID, conn: Connection) -> SessionView:
    """The song as pages show it."""
    session = await sessions.get_session(conn, session_id)
    found = await sections.list_sections(conn, session_id)
    tempo = session.tempo
    last_bar = session.song_bars
    # One bar more than the song has: a last chord rings into it.
    # Beside the loop through which the sound flows; mostly they are known already.
    to_bar = min(last_bar, LONGEST_SONG_BARS) + 2
    beats = await asyncio.to_thread(beats_of, tempo, 1 - LEAD_IN_BARS, to_bar)
    bar_bpm = await asyncio.to_thread(bar_tempos, tempo, session.song_bars)
    return SessionView(
        id=session.id,
        name=session.name,
        artist=session.artist,
        rate_hz=session.rate_hz,
        depth=session.depth,
        reference_pitch_hz=float(session.reference_pitch_hz),
        arm_together=session.arm_together,
        folder=session.folder,
        tempo_words=tempo_in_words(tempo),
        tempos=[tempo_view(change) for change in tempo.tempos],
        meters=list(tempo.meters),
        song_bars=session.song_bars,
        bar_bpm=bar_bpm,
        questions=changes_inside(tempo, [section.in_song for section in found]),
        click=session.click_settings,
        last_bar=last_bar,
        beat_frames=beats.frames,
        beat_bars=beats.bars,
        beat_numbers=beats.numbers,
        sections=[SectionView.model_validate(section) for section in found],
        parts=[part_view(part) for part in await parts.list_parts(conn, session_id)],
        revision=_song_revision(session, found),
    )


async def check_song(conn: Connection, session: Session, seen: str | None) -> None:
    """See that a page changes the tempo map and the sections that there are.

    Raises
    ------
    ChangedElsewhere
        If it saw older ones.
    """
    now = _song_revision(session, await sections.list_sections(conn, session.id))
    check_revision(seen, now, what="the song")


def _song_revision(session: Session, found: list[Section]) -> str:
    laid = [(str(each.id), each.name, each.first_bar, each.bars, each.phrase_bars) for each in found]
    return revision_of(session.tempos, session.meters, session.song_bars, session.bar_one_frame, laid)


@router.get("/{session_id}/sheet", response_model=SheetView)
async def sheet(session_id: UUID, part_id: UUID, conn: Transaction) -> Response:
    """The song sheet of one part: which bars are played by which take."""
    return await answer_beside(SheetView, await sheet_of(session_id, part_id, conn))


async def sheet_of(session_id: UUID, part_id: UUID, conn: Connection) -> Callable[[], SheetView]:
    """Reads what it needs; what it gives makes it."""
    session = await sessions.get_session(conn, session_id)
    part = await parts.get_part(conn, part_id)
    of_part = [played(take) for take in await takes.list_kept(conn, session_id) if take.part_id == part.id]
    found = await sections.list_sections(conn, session_id)
    return partial(_sheet, session, part_id, found, of_part)


def _sheet(session: Session, part_id: UUID, found: list[Section], of_part: list[Played]) -> SheetView:
    lines = []
    for section in found:
        line = sheet_line(
            session.tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars,
            takes=of_part,
        )  # fmt: skip
        lines.append(
            SheetLineView(
                section=SectionView.model_validate(section),
                from_frame=line.from_frame,
                to_frame=line.to_frame,
                bars=[BarView.model_validate(bar) for bar in line.bars],
                phrases=[PhraseView.model_validate(phrase) for phrase in line.phrases],
                take_ids=line.take_ids,
                first_take_id=line.first_take_id,
                missing_bars=line.missing_bars,
            )
        )
    return SheetView(
        part_id=part_id, lines=lines, missing_bars=sum(line.missing_bars for line in lines), takes=len(of_part)
    )


def tempo_view(change: TempoChange) -> TempoView:
    """A change of tempo as a page shows it."""
    return TempoView(
        bar=change.bar, bpm=float(change.bpm), says=_typed(change.bpm), ramp=change.ramp, meant=change.meant
    )


def _typed(bpm: Fraction) -> str:
    """A tempo as a person would type it: decimals where they say it exactly, else a fraction."""
    decimal = f"{float(bpm):.4f}".rstrip("0").rstrip(".")
    return decimal if Fraction(decimal) == bpm else str(bpm)
