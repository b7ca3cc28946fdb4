"""Backing tracks: bring in, record what the computer plays, place, and follow their beat."""

from dataclasses import asdict
from datetime import datetime
from typing import Any, Literal
from uuid import UUID, uuid4

from fastapi import APIRouter, Response, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from fatsignal.acts.audio_interface import interface_now
from fatsignal.acts.change_song import change_tempo
from fatsignal.core.song.questions import lost_by
from fatsignal.core.timing.tempo import LONGEST_SONG_BARS
from fatsignal.errors import ConfirmationRequired, InvalidSetting
from fatsignal.jobs.kinds.backings import BACKING_KIND, BackingInput
from fatsignal.jobs.kinds.pulses import PULSE_KIND
from fatsignal.store import backings, history, sessions
from fatsignal.store.backings import Backing
from fatsignal.store.sessions import Session
from fatsignal.web.capture_follow_up import LISTENED
from fatsignal.web.context import EngineDep, Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.sessions import SessionView, one_session
from fatsignal.web.sound_files import received, sound_file

router = APIRouter(prefix="/api", tags=["backing"])

_SHOWN_BEATS = 4_000


class PulseView(BaseModel):
    """What the core heard: frames count from the recording's beginning."""

    bpm: float
    beats: list[int]
    first_downbeat: int
    beats_per_bar: int
    confidence: float
    downbeat_confidence: float
    drift_ms: float
    says: str


class BackingView(BaseModel):
    id: UUID
    name: str
    origin: Literal["file", "computer"]
    frames: int
    seconds: float
    channels: int
    placed_frame: int
    bar: int
    beat: int
    frames_after: int
    gain_db: float
    loudness_lufs: float | None
    pulse: PulseView | None
    no_pulse: str = ""
    audio_url: str
    added_at: datetime


class Placing(BaseModel):
    """Where it lies: on a bar and samples after it, or with its first downbeat on that place."""

    bar: int = Field(ge=-1_000, le=LONGEST_SONG_BARS)
    frames_after: int = Field(default=0, ge=-(1 << 31), le=1 << 31)
    by_first_downbeat: bool = Field(
        default=False, description="The place is that of the first downbeat, not of the first sample."
    )
    gain_db: float = Field(default=0.0, ge=-60, le=24)


class Correction(BaseModel):
    """A person's word about the beat: a tempo that was tapped, or where the first beat lies."""

    near_bpm: float | None = Field(default=None, ge=20, le=400)
    first_downbeat: int | None = Field(default=None, ge=0, description="Frame of the recording.")


class Follow(BaseModel):
    audio_stays: bool = False


class NewPlayback(BaseModel):
    name: str = Field(default="Computer playback", min_length=1, max_length=80)
    from_bar: int = Field(default=1, ge=1, le=LONGEST_SONG_BARS)
    bars: int = Field(default=8, ge=1, le=500)


@router.get("/sessions/{session_id}/backings")
async def all_backings(session_id: UUID, conn: Transaction) -> list[BackingView]:
    """The session's backing tracks, the oldest first."""
    session = await sessions.get_session(conn, session_id)
    return [_view(session, backing) for backing in await backings.list_backings(conn, session_id)]


@router.post("/sessions/{session_id}/backings", status_code=201)
async def import_file(
    session_id: UUID, file: UploadFile, pool: Pool, settings: SettingsDep, queue: WorkQueueDep
) -> BackingView:
    """Bring in a sound file of any rate: it is converted, and its tempo and first downbeat are proposed."""
    async with pool.connection() as conn:
        session = await sessions.get_session(conn, session_id)
    async with received([file], settings.uploads_folder, largest_bytes=settings.largest_upload_bytes) as upload:
        (one,) = upload.files
        asked = BackingInput(path=one.path, shown_name=one.shown_name)
        work = await queue.ask(
            kind=BACKING_KIND, fingerprint=upload.name, session_id=session_id, work_input=asked.model_dump(mode="json")
        )
        made = await queue.result(work)
    async with pool.connection() as conn:
        return _view(session, await backings.get_backing(conn, UUID(made["backing_id"])), no_pulse=made["no_pulse"])


@router.post("/sessions/{session_id}/playback", status_code=201)
async def record_playback(
    session_id: UUID, new: NewPlayback, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> Response:
    """Record what the computer plays, through the interface's stereo playback input, from a bar on."""
    from fatsignal.acts.listen_order import playback_order

    session = await sessions.get_session(conn, session_id)
    listen_id = uuid4()
    order = playback_order(
        session, listen_id=listen_id, name=new.name, from_bar=new.from_bar, bars=new.bars,
        folder=settings.run_folder / LISTENED / str(listen_id), interface=await interface_now(conn),
        speed=settings.rig_speed,
    )  # fmt: skip
    await engine.listening.listen(order)
    return Response(status_code=201)


@router.put("/backings/{backing_id}/place")
async def place_backing(backing_id: UUID, placing: Placing, conn: Transaction) -> BackingView:
    """Lay a backing track on a bar and sample, and set its gain."""
    backing = await backings.get_backing(conn, backing_id)
    session = await sessions.get_session(conn, backing.session_id)
    frame = session.tempo.bar_frame(placing.bar) + placing.frames_after
    if placing.by_first_downbeat:
        if backing.pulse is None:
            raise InvalidSetting(f"no beat is known in {backing.name}: tap its tempo first, or place its first sample")
        frame -= backing.pulse["first_downbeat"]
    scope: history.Scope = {"backing": [backing_id]}
    says = f"{backing.name} placed"
    async with history.act(conn, session.id, kind="backing", says=says, scope=scope, subject=str(backing_id)):
        await backings.place_backing(conn, backing_id, placed_frame=frame, gain_db=placing.gain_db)
    return _view(session, await backings.get_backing(conn, backing_id))


@router.put("/backings/{backing_id}/pulse")
async def correct_pulse(backing_id: UUID, correction: Correction, pool: Pool, queue: WorkQueueDep) -> BackingView:
    """Correct what the core heard: look again near a tapped tempo, or move the first beat."""
    from fatsignal.core.timing.pulse import Pulse, corrected

    async with pool.connection() as conn:
        backing = await backings.get_backing(conn, backing_id)
        session = await sessions.get_session(conn, backing.session_id)
    pulse = Pulse(**backing.pulse) if backing.pulse else None
    if correction.near_bpm is not None:
        found = await queue.computed(
            PULSE_KIND,
            {
                "file": f"{session.folder}/{backing.file}", "beats_per_bar": session.tempo.meter_at(1).beats,
                "near_bpm": correction.near_bpm,
            },
        )  # fmt: skip
        pulse = Pulse(**found)
    if correction.first_downbeat is not None:
        if pulse is None:
            raise InvalidSetting(f"no beat is known in {backing.name}: tap its tempo first")
        if correction.first_downbeat >= backing.frames:
            raise InvalidSetting(f"the first beat cannot lie past the end of {backing.name}")
        pulse = corrected(pulse, first_downbeat=correction.first_downbeat)
    if pulse is None:
        raise InvalidSetting("say a tempo, or where the first beat lies")
    scope: history.Scope = {"backing": [backing_id]}
    says = f"beat of {backing.name} corrected"
    async with pool.connection() as conn:
        async with history.act(conn, session.id, kind="pulse", says=says, scope=scope):
            if correction.first_downbeat is not None:
                # The beat was laid on a place of the song: it stays there, and the recording moves under it.
                now = await backings.get_backing(conn, backing_id)
                laid = now.placed_frame + (now.pulse["first_downbeat"] if now.pulse else 0)
                await backings.place_backing(
                    conn, backing_id, placed_frame=laid - correction.first_downbeat, gain_db=now.gain_db
                )
            await backings.set_pulse(conn, backing_id, asdict(pulse))
        return _view(session, await backings.get_backing(conn, backing_id))


@router.post("/backings/{backing_id}/follow")
async def follow(backing_id: UUID, wanted: Follow, conn: Transaction) -> SessionView:
    """Lay the song's tempo map over a backing track, so that every bar falls on its downbeat, drift and all."""
    from fatsignal.core.timing.pulse import Pulse, map_over

    backing = await backings.get_backing(conn, backing_id)
    session = await sessions.get_session(conn, backing.session_id)
    if backing.pulse is None:
        raise InvalidSetting(f"no beat is known in {backing.name}: tap its tempo first")
    pulse = Pulse(**backing.pulse)
    tempo, placed = map_over(pulse, rate_hz=session.rate_hz, bar_one_frame=session.bar_one_frame)
    played_bars = tempo.bar_at(max(placed + pulse.beats[-1], tempo.bar_one_frame))
    song_bars = min(LONGEST_SONG_BARS, max(session.song_bars, played_bars, tempo.tempos[-1].bar))
    lost = lost_by(session.tempo, tempo)
    if lost and not wanted.audio_stays:
        raise ConfirmationRequired(
            f"the song would follow {backing.name}, and {lost} would be gone; undo brings it back"
        )
    scope: history.Scope = {"session": [session.id], "backing": [backing_id]}
    async with history.act(conn, session.id, kind="follow", says=f"song follows {backing.name}", scope=scope):
        await change_tempo(conn, session, tempo, song_bars=song_bars, audio_stays=wanted.audio_stays)
        await backings.place_backing(conn, backing_id, placed_frame=placed, gain_db=backing.gain_db)
    return await one_session(session.id, conn)


@router.delete("/backings/{backing_id}", status_code=204)
async def remove(backing_id: UUID, conn: Transaction) -> Response:
    """Take a backing track out of the song; its file stays on disk."""
    backing = await backings.get_backing(conn, backing_id)
    scope: history.Scope = {"backing": [backing_id]}
    says = f"{backing.name} removed"
    async with history.act(conn, backing.session_id, kind="remove backing", says=says, scope=scope):
        await backings.remove_backing(conn, backing_id)
    return Response(status_code=204)


@router.get("/backings/{backing_id}/audio", response_class=FileResponse)
async def audio(backing_id: UUID, conn: Transaction, settings: SettingsDep) -> FileResponse:
    """A backing track at the session's rate."""
    backing = await backings.get_backing(conn, backing_id)
    session = await sessions.get_session(conn, backing.session_id)
    return sound_file(settings.sessions_folder / session.folder / backing.file)


def _view(session: Session, backing: Backing, *, no_pulse: str = "") -> BackingView:
    place = session.tempo.place_at(backing.placed_frame)
    return BackingView(
        id=backing.id,
        name=backing.name,
        origin=backing.origin,
        frames=backing.frames,
        seconds=backing.frames / session.rate_hz,
        channels=backing.channels,
        placed_frame=backing.placed_frame,
        bar=place.bar,
        beat=place.beat,
        frames_after=place.frames_after,
        gain_db=backing.gain_db,
        loudness_lufs=backing.loudness_lufs,
        pulse=_pulse_view(backing.pulse),
        no_pulse=no_pulse or ("" if backing.pulse else "no beat was found: tap its tempo"),
        audio_url=f"/api/backings/{backing.id}/audio",
        added_at=backing.added_at,
    )


def _pulse_view(pulse: dict[str, Any] | None) -> PulseView | None:
    from fatsignal.core.timing.pulse import STEADY_MS

    if pulse is None:
        return None
    sure = "sure" if pulse["confidence"] > 0.6 else "fairly sure" if pulse["confidence"] > 0.35 else "not sure"
    steady = "steady" if pulse["drift_ms"] <= STEADY_MS else f"drifts by {pulse['drift_ms']:.0f} ms"
    return PulseView(
        **{**pulse, "beats": pulse["beats"][:_SHOWN_BEATS]}, says=f"{pulse['bpm']:.1f} beats a minute, {sure}, {steady}"
    )
