"""What is heard: cues with their strips, the blend they start from, how each part is heard, standing by."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.arming import all_armed, armed_parts, tone_played_through
from fatsignal.acts.audio_interface import interface_now
from fatsignal.core.cue.mix import CueMix, turned_value
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.timing.monitor_path import MonitorDelay, monitor_delay
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.jobs.kinds.curves import LATENCY_KIND
from fatsignal.rig.interface import NAME
from fatsignal.rig.setup import RigSetup
from fatsignal.store import backings, cues, history, interfaces, parts, sessions, tones
from fatsignal.store.cues import StoredCue
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.web.context import EngineDep, Pool, SettingsDep, Transaction, WorkQueueDep

router = APIRouter(prefix="/api", tags=["cues"])


class StripName(BaseModel):
    """A sound that a cue has a strip for."""

    key: str
    name: str
    live: bool = Field(description="It is armed: this strip is the player's own.")


class CueView(BaseModel):
    id: UUID
    name: str
    mix: CueMix


class CuesView(BaseModel):
    strips: list[StripName]
    cues: list[CueView]
    blend: CueMix


class NewCue(BaseModel):
    name: str = Field(min_length=1, max_length=40)
    like: UUID | None = Field(default=None, description="Start as a copy of this cue; null: of the blend.")


class CueChange(BaseModel):
    name: str = Field(min_length=1, max_length=40)
    mix: CueMix


class MonitoringView(BaseModel):
    """How a part is heard, and the delay that comes of it; null where it is not heard through the computer."""

    part_id: UUID
    settings: Monitoring
    channels: list[str]
    has_di: bool
    tone_name: str | None
    delay: MonitorDelay | None


@router.get("/sessions/{session_id}/cues")
async def all_cues(session_id: UUID, conn: Transaction) -> CuesView:
    """Every listener's mix, and what there is to be mixed."""
    session = await sessions.get_session(conn, session_id)
    return CuesView(
        strips=await _strips(conn, session_id),
        cues=[_view(cue) for cue in await cues.list_cues(conn, session_id)],
        blend=session.blend_mix,
    )


@router.post("/sessions/{session_id}/cues", status_code=201)
async def add(session_id: UUID, new: NewCue, conn: Transaction) -> CueView:
    """Another listener: starts as a copy of the blend, or of another cue, and goes its own way from there."""
    session = await sessions.get_session(conn, session_id)
    if not new.name.strip():
        raise InvalidSetting("a listener needs a name: who hears it?")
    mix = session.blend_mix
    if new.like is not None:
        mix = (await _of_session(conn, session_id, new.like)).settings
    async with history.act(conn, session_id, kind="add cue", says=f"{new.name.strip()} listens", scope={"cue": None}):
        return _view(await cues.add_cue(conn, session_id=session_id, name=new.name, mix=mix))


@router.put("/cues/{cue_id}")
async def change(cue_id: UUID, wanted: CueChange, conn: Transaction, engine: EngineDep) -> CueView:
    """Levels, pans, click, more me, limiter; who listens hears it from the next block on."""
    cue = await cues.get_cue(conn, cue_id)
    if not wanted.name.strip():
        raise InvalidSetting("a listener needs a name: who hears it?")
    scope: history.Scope = {"cue": [cue_id]}
    says, turned = f"mix of {cue.name} changed", turned_value(cue.settings, wanted.mix)
    subject = f"{cue_id} {turned}" if turned else ""
    async with history.act(conn, cue.session_id, kind="cue", says=says, scope=scope, subject=subject):
        await cues.set_cue(conn, cue_id, name=wanted.name, mix=wanted.mix)
    await _tell_engine(conn, cue.session_id, engine)
    return _view(await cues.get_cue(conn, cue_id))


@router.delete("/cues/{cue_id}", status_code=204)
async def remove(cue_id: UUID, conn: Transaction) -> Response:
    """A listener who is no longer there."""
    cue = await cues.get_cue(conn, cue_id)
    scope: history.Scope = {"cue": [cue_id]}
    async with history.act(conn, cue.session_id, kind="remove cue", says=f"{cue.name} removed", scope=scope):
        await cues.remove_cue(conn, cue_id)
    return Response(status_code=204)


@router.put("/sessions/{session_id}/blend")
async def set_blend(session_id: UUID, blend: CueMix, conn: Transaction) -> CueMix:
    """Levels and pans of the parts beside each other; cues that were copied from it before stay as they are."""
    session = await sessions.get_session(conn, session_id)
    scope: history.Scope = {"session": [session_id]}
    turned = turned_value(session.blend_mix, blend)
    async with history.act(conn, session_id, kind="blend", says="blend changed", scope=scope, subject=turned):
        await sessions.set_blend(conn, session_id, blend)
    return blend


@router.get("/parts/{part_id}/monitoring")
async def monitoring(part_id: UUID, pool: Pool, queue: WorkQueueDep) -> MonitoringView:
    """How a part is heard while it is played."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        session = await sessions.get_session(conn, part.session_id)
        settings, rig = Monitoring.model_validate(part.monitoring), RigSetup.model_validate(part.rig)
        played = await tone_played_through(conn, part)
        interface = await interface_now(conn)
        offset = await interfaces.get_offset(conn, NAME, rate_hz=session.rate_hz, buffer_frames=interface.buffer_frames)
    delay = None
    if settings.hear != "nothing" and settings.when != "never":
        chain_frames = 0
        if played and settings.hear == "tone":
            document = played.tone.model_dump(mode="json")
            chain_frames = await queue.computed(LATENCY_KIND, {"document": document, "rate_hz": session.rate_hz})
        delay = monitor_delay(
            offset.offset_frames if offset else interface.round_trip_frames(), buffer_frames=interface.buffer_frames,
            chain_frames=chain_frames, rate_hz=session.rate_hz, measured=offset is not None,
        )  # fmt: skip
    return MonitoringView(
        part_id=part_id, settings=settings, channels=[name for name, _ in rig.inputs], has_di=rig.di is not None,
        tone_name=played.tone.name if played else None, delay=delay,
    )  # fmt: skip


@router.put("/parts/{part_id}/monitoring")
async def set_monitoring(
    part_id: UUID, wanted: Monitoring, pool: Pool, settings: SettingsDep, engine: EngineDep, queue: WorkQueueDep
) -> MonitoringView:
    """Where a part is heard from, and when; whether the tone goes to disk too."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        rig = RigSetup.model_validate(part.rig)
        if (wanted.hear == "tone" or wanted.print_sim) and rig.di is None:
            raise InvalidSetting("a tone is heard through the DI, and this rig keeps none: switch the DI on in Rig")
        if (wanted.hear == "tone" or wanted.print_sim) and not (wanted.tone_revision_id or wanted.from_bench):
            raise InvalidSetting("choose the tone to play through")
        if wanted.tone_revision_id is not None:
            await tones.get_revision(conn, wanted.tone_revision_id)
        if wanted.channel is not None and wanted.channel not in [name for name, _ in rig.inputs]:
            raise NotFound("channel", wanted.channel)
        scope: history.Scope = {"part": [part_id]}
        says = f"{part.name}: how it is heard changed"
        async with history.act(conn, part.session_id, kind="monitoring", says=says, scope=scope, subject=str(part_id)):
            await parts.set_monitoring(conn, part_id, wanted.model_dump(mode="json"))
        if engine.standing_by:
            await _stand_by(conn, part.session_id, settings, engine)
    return await monitoring(part_id, pool, queue)


@router.post("/sessions/{session_id}/standby", status_code=204)
async def stand_by(session_id: UUID, conn: Transaction, settings: SettingsDep, engine: EngineDep) -> Response:
    """Hear what is armed while nothing rolls, until it is told to end; after a roll it comes back by itself."""
    await _stand_by(conn, session_id, settings, engine)
    return Response(status_code=204)


@router.delete("/sessions/{session_id}/standby", status_code=204)
async def end_standby(session_id: UUID, engine: EngineDep) -> Response:
    """Stop hearing what is armed."""
    await engine.end_standby()
    return Response(status_code=204)


async def _stand_by(conn: Connection, session_id: UUID, settings: SettingsDep, engine: EngineDep) -> None:
    from fatsignal.acts.overdub_tracks import cues_of
    from fatsignal.acts.roll_order import standby_order

    session = await sessions.get_session(conn, session_id)
    armed = await armed_parts(conn, session_id)
    order = standby_order(
        session, await all_armed(conn, session, armed, sessions_folder=settings.sessions_folder),
        sessions_folder=settings.sessions_folder,
        interface=await interface_now(conn), speed=settings.rig_speed or 1.0, cues=await cues_of(conn, session_id),
    )  # fmt: skip
    await engine.stand_by(order)


async def _tell_engine(conn: Connection, session_id: UUID, engine: EngineDep) -> None:
    from fatsignal.acts.overdub_tracks import cues_of

    await engine.set_cues(session_id, await cues_of(conn, session_id))


async def _strips(conn: Connection, session_id: UUID) -> list[StripName]:
    from fatsignal.acts.overdub_tracks import backing_key

    named = [_part_strip(part) for part in await parts.list_parts(conn, session_id)]
    tracks = await backings.list_backings(conn, session_id)
    return [*named, *(StripName(key=backing_key(track.id), name=track.name, live=False) for track in tracks)]


def _part_strip(part: Part) -> StripName:
    return StripName(key=str(part.id), name=part.name, live=part.armed)


async def _of_session(conn: Connection, session_id: UUID, cue_id: UUID) -> StoredCue:
    cue = await cues.get_cue(conn, cue_id)
    if cue.session_id != session_id:
        raise NotFound("cue of this session", cue_id)
    return cue


def _view(cue: StoredCue) -> CueView:
    return CueView(id=cue.id, name=cue.name, mix=cue.settings)
