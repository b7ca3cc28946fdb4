"""Rolling: start, stop, bin and roll again, punch by hand; and how a session rolls."""

from typing import TYPE_CHECKING
from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.bin import bin_takes
from fatsignal.acts.roll_settings import fitting
from fatsignal.core.takes.roll_plan import MOST_WINDOWS, RollMode, RollSettings
from fatsignal.core.takes.windows import Window
from fatsignal.core.verdict import Verdict
from fatsignal.rig.setup import RigSetup
from fatsignal.store import history, parts, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.web.context import EngineDep, SettingsDep, Transaction
from fatsignal.web.ranges import Range

if TYPE_CHECKING:
    from fatsignal.engine.orders import RollOrder

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["rolling"])


class NewRoll(BaseModel):
    section_id: UUID | None = Field(default=None, description="The section to play once; a count-in comes before it.")
    from_frame: int | None = Field(default=None, description="Or: from here on to the end of the song.")
    way: RollMode | None = Field(default=None, description="Another way than the session's, this once.")
    by_hand: bool = Field(default=False, description="Nothing is used but what is pressed in on the way.")
    windows: list[Range] = Field(
        default=[],
        max_length=MOST_WINDOWS,
        description="Or: past these, once, whatever is set. What was rolled for a hole of a comp lands in it.",
    )


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
    verdict: Verdict


@router.post("/roll", status_code=201)
async def roll(
    session_id: UUID, new: NewRoll, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> RollStarted:
    """Roll what is armed: all channels go to disk together."""
    async with engine.presses:
        return await _start(session_id, new, conn, settings, engine)


@router.post("/roll/again", status_code=201)
async def roll_again(
    session_id: UUID, new: NewRoll, conn: Transaction, settings: SettingsDep, engine: EngineDep
) -> RollStarted:
    """Throw the last pass into the bin, the one that rolls if one does, and roll again: a trial clip, if it was one."""
    async with engine.presses:
        if engine.trial_of is not None:
            return await _trial_again(engine.trial_of, conn, settings, engine)
        if engine.rolling is not None:
            before = engine.rolling_takes
            await engine.stop(into_bin=True)
        else:
            before = await takes.last_rolled(conn, session_id)
            await bin_takes(conn, session_id, before, binned=True)
        started = await _start(session_id, new, conn, settings, engine)
        return started.model_copy(update={"binned": before})


@router.delete("/roll", status_code=204)
async def stop(session_id: UUID, engine: EngineDep) -> Response:
    """Stop rolling; what was rolled is kept. Nothing happens when it is not rolling."""
    await engine.stop()
    return Response(status_code=204)


@router.post("/roll/punch", status_code=204)
async def punch(session_id: UUID, engine: EngineDep) -> Response:
    """In where it is out, out where it is in: from the first press on only what is pressed in is used."""
    await engine.punch()
    return Response(status_code=204)


@router.get("/roll/settings")
async def roll_settings(session_id: UUID, conn: Transaction) -> RollSettings:
    """How the session rolls."""
    return (await sessions.get_session(conn, session_id)).roll_settings


@router.put("/roll/settings")
async def set_roll_settings(session_id: UUID, settings: RollSettings, conn: Transaction) -> RollSettings:
    """Once, loop or windows; where; with which pre-roll and post-roll; again and again or not."""
    session = await sessions.get_session(conn, session_id)
    settings = fitting(session, settings)
    scope: history.Scope = {"session": [session_id]}
    says = "how it rolls changed"
    async with history.act(conn, session_id, kind="roll settings", says=says, scope=scope, subject="roll"):
        await sessions.set_roll(conn, session_id, settings)
    return settings


@router.get("/roll/space")
async def space(session_id: UUID, conn: Transaction, settings: SettingsDep) -> SpaceView:
    """Room on the disk for what is armed."""
    from fatsignal.engine.disk_space import EARLY_S, LATE_S, free_bytes, seconds_left

    session = await sessions.get_session(conn, session_id)
    armed = [part for part in await parts.list_parts(conn, session_id) if part.armed]
    channels = sum(len(RigSetup.model_validate(part.rig).inputs) for part in armed)
    if not channels:
        return SpaceView(seconds_left=None, channels=0, verdict="good")
    left = seconds_left(
        free_bytes(settings.sessions_folder), rate_hz=session.rate_hz, channels=channels, depth=session.depth
    )
    verdict: Verdict = "fix" if left < LATE_S else "look" if left < EARLY_S else "good"
    return SpaceView(seconds_left=round(left, 1), channels=channels, verdict=verdict)


async def _trial_again(part_id: UUID, conn: Connection, settings: SettingsDep, engine: EngineDep) -> RollStarted:
    from fatsignal.acts.start_trial import order_trial

    await engine.stop(into_bin=True)
    return await _started(
        await order_trial(conn, part_id, sessions_folder=settings.sessions_folder, speed=settings.rig_speed), engine
    )


async def _start(
    session_id: UUID, new: NewRoll, conn: Connection, settings: SettingsDep, engine: EngineDep
) -> RollStarted:
    from fatsignal.acts.start_roll import order_to_roll

    order = await order_to_roll(
        conn, session_id, section_id=new.section_id, from_frame=new.from_frame, way=new.way, by_hand=new.by_hand,
        sessions_folder=settings.sessions_folder, speed=settings.rig_speed, windows=[each.span for each in new.windows],
    )  # fmt: skip
    return await _started(order, engine)


async def _started(order: "RollOrder", engine: EngineDep) -> RollStarted:
    from fatsignal.engine.journal import take_id_of

    await engine.start(order)
    plan = order.plan
    return RollStarted(
        roll_id=order.roll_id, take_ids=[take_id_of(order.roll_id, part.part_id, 0) for part in order.parts],
        number=order.parts[0].first_number, from_frame=plan.from_frame,
        play_from_frame=plan.play_from_frame, to_frame=plan.to_frame, windows=list(plan.windows),
    )  # fmt: skip
