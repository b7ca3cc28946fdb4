"""Rolling: start, stop, bin and roll again, punch by hand; and how a session rolls."""

import secrets
from typing import TYPE_CHECKING, Literal
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.bin import bin_takes
from fatsignal.acts.take_numbers import next_number
from fatsignal.config import Settings
from fatsignal.core.cue.monitoring import Monitoring
from fatsignal.core.takes.roll_plan import RollSettings, Way
from fatsignal.core.takes.windows import Window, joined
from fatsignal.errors import RollRefused, SettingRefused
from fatsignal.rig.interface import INPUTS
from fatsignal.rig.setup import RigSetup, check_inputs
from fatsignal.store import history, parts, sections, sessions, takes, tones
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.web.context import Place, TheDesk, Transaction
from fatsignal.web.routes.interface import interface_now, record_offset_frames

if TYPE_CHECKING:
    from fatsignal.acts.roll_order import Armed

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["rolling"])


class NewRoll(BaseModel):
    section_id: UUID | None = Field(default=None, description="The section to play once; a count-in comes before it.")
    from_frame: int | None = Field(default=None, description="Or: from here on to the end of the song.")
    way: Way | None = Field(default=None, description="Another way than the session's, this once.")
    by_hand: bool = Field(default=False, description="Nothing is used but what is pressed in on the way.")


class RollStarted(BaseModel):
    roll_id: UUID
    take_ids: list[UUID] = Field(description="The take of each part in the first pass.")
    number: int
    from_frame: int
    play_from_frame: int
    to_frame: int
    windows: list[Window]
    binned: list[UUID] = Field(default_factory=list, description="Takes that went into the bin for this one.")


class SpaceView(BaseModel):
    """How long what is armed can still be recorded; null where nothing is armed."""

    seconds_left: float | None
    channels: int
    verdict: Literal["good", "look", "fix"]


@router.post("/roll", status_code=201)
async def roll(session_id: UUID, new: NewRoll, conn: Transaction, place: Place, desk: TheDesk) -> RollStarted:
    """Roll what is armed: all channels go to disk together."""
    async with desk.presses:
        return await _start(session_id, new, conn, place, desk)


@router.post("/roll/again", status_code=201)
async def roll_again(session_id: UUID, new: NewRoll, conn: Transaction, place: Place, desk: TheDesk) -> RollStarted:
    """Throw the last pass into the bin, the one that rolls if one does, and roll again."""
    async with desk.presses:
        if desk.rolling is not None:
            before = desk.rolling_takes
            await desk.stop(into_bin=True)
        else:
            before = await takes.last_rolled(conn, session_id)
            await bin_takes(conn, session_id, before, binned=True)
        started = await _start(session_id, new, conn, place, desk)
        return started.model_copy(update={"binned": before})


@router.delete("/roll", status_code=204)
async def stop(session_id: UUID, desk: TheDesk) -> Response:
    """Stop rolling; what was rolled is kept. Nothing happens when it is not rolling."""
    await desk.stop()
    return Response(status_code=204)


@router.post("/roll/punch", status_code=204)
async def punch(session_id: UUID, desk: TheDesk) -> Response:
    """In where it is out, out where it is in: from the first press on only what is pressed in is used."""
    await desk.punch()
    return Response(status_code=204)


@router.get("/roll/settings")
async def roll_settings(session_id: UUID, conn: Transaction) -> RollSettings:
    """How the session rolls."""
    return (await sessions.get_session(conn, session_id)).roll_settings


@router.put("/roll/settings")
async def set_roll_settings(session_id: UUID, settings: RollSettings, conn: Transaction) -> RollSettings:
    """Once, loop or windows; where; with which pre-roll and post-roll; again and again or not."""
    session = await sessions.get_session(conn, session_id)
    settings = _fitting(session, settings)
    scope: history.Scope = {"session": [session_id]}
    says = "how it rolls changed"
    async with history.act(conn, session_id, kind="roll settings", says=says, scope=scope, subject="roll"):
        await sessions.set_roll(conn, session_id, settings)
    return settings


@router.get("/roll/space")
async def space(session_id: UUID, conn: Transaction, place: Place) -> SpaceView:
    """Room on the disk for what is armed."""
    from fatsignal.engine.disk_space import EARLY_S, LATE_S, free_bytes, seconds_left

    session = await sessions.get_session(conn, session_id)
    armed = [part for part in await parts.list_parts(conn, session_id) if part.armed]
    channels = sum(len(RigSetup.model_validate(part.rig).inputs) for part in armed)
    if not channels:
        return SpaceView(seconds_left=None, channels=0, verdict="good")
    left = seconds_left(
        free_bytes(place.sessions_folder), rate_hz=session.rate_hz, channels=channels, depth=session.depth
    )
    verdict: Literal["good", "look", "fix"] = "fix" if left < LATE_S else "look" if left < EARLY_S else "good"
    return SpaceView(seconds_left=round(left, 1), channels=channels, verdict=verdict)


def _fitting(session: Session, settings: RollSettings) -> RollSettings:
    """Settings with their windows joined and in order.

    Raises
    ------
    SettingRefused
        If the loop or a window leaves the song.
    """
    if settings.loop_bar + settings.loop_bars - 1 > session.song_bars:
        raise SettingRefused(
            f"a loop of bars {settings.loop_bar} to {settings.loop_bar + settings.loop_bars - 1} runs past the song's "
            f"end at bar {session.song_bars}: choose bars inside the song"
        )
    start, end = session.tempo.bar_frame(1), session.tempo.bar_frame(session.song_bars + 1)
    for window in settings.windows:
        if not start <= window.from_frame < window.to_frame <= end:
            raise SettingRefused("a window lies outside the song: draw it over bars of the song sheet")
    return settings.model_copy(update={"windows": joined(settings.windows)})


async def _start(session_id: UUID, new: NewRoll, conn: Connection, place: Place, desk: TheDesk) -> RollStarted:
    from fatsignal.acts.play_beside import cues_of, tracks_beside
    from fatsignal.acts.roll_order import roll_order, roll_plan
    from fatsignal.engine.journal import take_id_of

    session = await sessions.get_session(conn, session_id)
    section = None if new.section_id is None else await sections.get_section(conn, new.section_id)
    if section is not None and section.session_id != session_id:
        raise RollRefused("that section belongs to another session: choose one of this song")
    armed = await armed_parts(conn, session_id)
    rigs = [(part.name, RigSetup.model_validate(part.rig)) for part in armed]
    clashes = check_inputs(rigs, inputs=INPUTS)
    if clashes:
        raise RollRefused(clashes[0])
    plan = roll_plan(
        session,
        way=new.way,
        section=section.in_song if section else None,
        from_frame=new.from_frame,
        by_hand=new.by_hand,
    )
    interface = await interface_now(conn)
    order = roll_order(
        session, plan, await all_armed(conn, place, session, armed),
        tracks=await tracks_beside(
            conn, session, armed=[part.id for part in armed], sessions_folder=place.sessions_folder
        ),
        cues=await cues_of(conn, session_id),
        section_id=new.section_id, sessions_folder=place.sessions_folder, interface=interface,
        record_offset_frames=await record_offset_frames(conn, interface, rate_hz=session.rate_hz),
        speed=place.rig_speed,
    )  # fmt: skip
    await desk.start(order)
    return RollStarted(
        roll_id=order.roll_id, take_ids=[take_id_of(order.roll_id, part.part_id, 0) for part in order.parts],
        number=order.parts[0].first_number, from_frame=plan.from_frame,
        play_from_frame=plan.play_from_frame, to_frame=plan.to_frame, windows=list(plan.windows),
    )  # fmt: skip


async def armed_parts(conn: Connection, session_id: UUID) -> list[Part]:
    """The parts that roll together.

    Raises
    ------
    RollRefused
        If none is armed.
    """
    armed = [part for part in await parts.list_parts(conn, session_id) if part.armed]
    if not armed:
        raise RollRefused("no part is armed: choose the part that you play")
    return armed


async def all_armed(conn: Connection, place: Settings, session: Session, armed: list[Part]) -> "list[Armed]":
    """What is armed, with the number of its next take and the tone through which it is heard."""
    from fatsignal.acts.roll_order import Armed

    found = []
    for part in armed:
        tone_id = Monitoring.model_validate(part.monitoring).tone_revision_id
        tone = await tones.get_revision(conn, tone_id) if tone_id else None
        number = await next_number(conn, place.sessions_folder, session, part)
        found.append(Armed(part, number, secrets.randbits(31), tone))
    return found
