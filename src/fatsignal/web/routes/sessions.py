"""Sessions: the song with its sections and parts, and its sheet."""

import asyncio
import io
from typing import Annotated, Any
from uuid import UUID

import soundfile
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from fatsignal.core.takes.sheet import Window, sheet_line
from fatsignal.core.timing.click import render_click
from fatsignal.errors import SettingRefused
from fatsignal.store import sessions, takes
from fatsignal.web.context import Transaction

router = APIRouter(prefix="/api/sessions", tags=["sessions"])

_LONGEST_CLICK_S = 120

Frame = Annotated[int, Query(ge=0, le=1 << 40)]


class SessionName(BaseModel, from_attributes=True):
    id: UUID
    name: str
    artist: str


class SectionView(BaseModel, from_attributes=True):
    id: UUID
    name: str
    first_bar: int
    bars: int
    phrase_bars: int


class PathStep(BaseModel):
    """One line of the drawn path to disk."""

    name: str
    kind: str
    detail: str


class PartView(BaseModel):
    id: UUID
    name: str
    armed: bool
    instrument: str
    to_disk: list[PathStep]
    can_roll: bool = Field(description="False for a part that nothing plays: the simulated rig has no notes for it.")


class SessionView(BaseModel):
    id: UUID
    name: str
    artist: str
    rate_hz: int
    depth: str
    tempo_bpm: float
    beats_per_bar: int
    count_in_bars: int
    last_bar: int
    beat_frames: list[int] = Field(description="Frame of every beat from the first bar of the lead-in on.")
    first_beat: int = Field(description="Number of the first of `beat_frames`, counted from bar 1 beat 1 as 0.")
    sections: list[SectionView]
    parts: list[PartView]


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
    take_ids: list[UUID]
    missing_bars: int


class SheetView(BaseModel):
    """The song as a chart: one line a section."""

    part_id: UUID
    lines: list[SheetLineView]
    missing_bars: int
    takes: int


@router.get("")
async def all_sessions(conn: Transaction) -> list[SessionName]:
    """Every session, the oldest first."""
    return [SessionName.model_validate(session) for session in await sessions.list_sessions(conn)]


@router.get("/{session_id}")
async def one_session(session_id: UUID, conn: Transaction) -> SessionView:
    """The song with its sections, parts and beats."""
    session = await sessions.get_session(conn, session_id)
    sections = await sessions.list_sections(conn, session_id)
    parts = await sessions.list_parts(conn, session_id)
    tempo = session.tempo
    last_bar = max((section.first_bar + section.bars - 1 for section in sections), default=1)
    first_beat = -session.lead_in_bars * session.beats_per_bar
    return SessionView(
        id=session.id,
        name=session.name,
        artist=session.artist,
        rate_hz=session.rate_hz,
        depth=session.depth,
        tempo_bpm=float(tempo.tempo_bpm),
        beats_per_bar=session.beats_per_bar,
        count_in_bars=session.count_in_bars,
        last_bar=last_bar,
        beat_frames=[tempo.beat_frame(beat) for beat in range(first_beat, (last_bar + 1) * session.beats_per_bar + 1)],
        first_beat=first_beat,
        sections=[SectionView.model_validate(section) for section in sections],
        parts=[_part_view(part) for part in parts],
    )


@router.get("/{session_id}/sheet")
async def sheet(session_id: UUID, part_id: UUID, conn: Transaction) -> SheetView:
    """The song sheet of one part: which bars are played by which take."""
    session = await sessions.get_session(conn, session_id)
    part = await sessions.get_part(conn, part_id)
    windows = [
        Window(take.id, take.window_from_frame, take.window_to_frame)
        for take in await takes.list_takes(conn, session_id)
        if take.part_id == part.id and take.binned_at is None
    ]
    lines = []
    for section in await sessions.list_sections(conn, session_id):
        line = sheet_line(
            session.tempo, first_bar=section.first_bar, bars=section.bars, phrase_bars=section.phrase_bars,
            windows=windows,
        )  # fmt: skip
        lines.append(
            SheetLineView(
                section=SectionView.model_validate(section),
                from_frame=line.from_frame,
                to_frame=line.to_frame,
                bars=[BarView.model_validate(bar) for bar in line.bars],
                phrases=[PhraseView.model_validate(phrase) for phrase in line.phrases],
                take_ids=line.take_ids,
                missing_bars=line.missing_bars,
            )
        )
    return SheetView(
        part_id=part_id, lines=lines, missing_bars=sum(line.missing_bars for line in lines), takes=len(windows)
    )


@router.post("/{session_id}/parts/{part_id}/arm", status_code=204)
async def arm(session_id: UUID, part_id: UUID, conn: Transaction) -> Response:
    """Arm a part; the others are disarmed."""
    await sessions.get_session(conn, session_id)
    await sessions.arm_part(conn, part_id)
    return Response(status_code=204)


@router.get("/{session_id}/click.wav", response_class=Response, responses={200: {"content": {"audio/wav": {}}}})
async def click(session_id: UUID, from_frame: Frame, to_frame: Frame, conn: Transaction) -> Response:
    """The click between two frames, sample-exact, as a WAV."""
    session = await sessions.get_session(conn, session_id)
    if to_frame - from_frame > _LONGEST_CLICK_S * session.rate_hz:
        raise SettingRefused(f"a click of more than {_LONGEST_CLICK_S} s at once is not rendered: ask for less")
    rendered = await asyncio.to_thread(
        render_click, session.tempo, from_frame=from_frame, to_frame=max(to_frame, from_frame + 1)
    )
    buffer = io.BytesIO()
    soundfile.write(buffer, rendered.samples, rendered.rate_hz, format="WAV", subtype="PCM_16")
    return Response(buffer.getvalue(), media_type="audio/wav")


def _part_view(part: sessions.Part) -> PartView:
    rig: dict[str, Any] = part.rig
    cable_pf = round(rig["cable_farad"] * 1e12)
    to_disk = [PathStep(name="DI, clean", kind="di", detail=f"{rig['input_ohm'] / 1e6:g} MΩ, {cable_pf} pF cable")]
    for mic in rig["mics"]:
        name = mic["name"][:1].upper() + mic["name"][1:]
        to_disk.append(
            PathStep(name=f"{name} · {mic['kind']}", kind="mic", detail=f"{mic['distance_m'] * 100:.1f} cm away")
        )
    return PartView(
        id=part.id,
        name=part.name,
        armed=part.armed,
        instrument=rig["instrument"],
        to_disk=to_disk,
        can_roll=bool(part.written),
    )
