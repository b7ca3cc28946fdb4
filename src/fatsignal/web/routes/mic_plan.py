"""The plan of microphones: what follows from where they stand, lengths as they are typed, stereo set-ups."""

import asyncio
from dataclasses import asdict
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from fatsignal.core.mics.place import parse_length_m
from fatsignal.core.mics.sounding import SOUNDING, Cone
from fatsignal.rig.mic_words import Dimension, dimensions
from fatsignal.rig.setup import RigSetup
from fatsignal.store import parts, sessions, trials
from fatsignal.web.context import Pool, Transaction

router = APIRouter(prefix="/api", tags=["placement"])


class ConeView(BaseModel):
    x_m: float
    y_m: float
    radius_m: float
    depth_m: float


class PointView(BaseModel):
    name: str
    x_m: float
    y_m: float


class FrontView(BaseModel):
    """What stands before the microphones, in metres from its middle; a guitar has no cones."""

    name: str
    title: str
    width_m: float
    height_m: float
    depth_m: float
    is_guitar: bool
    cones: list[ConeView]
    points: list[PointView]


class MicOnPlanView(BaseModel):
    name: str
    kind: str
    title: str
    place_m: list[float] = Field(description="To the right, up, away.")
    looks: list[float]
    point_m: list[float]
    words: str
    travel_ms: float


class PairOnPlanView(BaseModel):
    first: str
    second: str
    farther_cm: float
    later_samples: float
    apart_cm: float
    notches_hz: list[float]
    three_to_one: float | None = Field(
        description="How many times as far they stand from each other as from their own; none before one point."
    )
    says: str


class ResponseView(BaseModel):
    name: str
    level_db: list[float]


class PlanView(BaseModel):
    """What follows from the places of a rig's microphones; nothing of it is measured."""

    front: FrontView
    mics: list[MicOnPlanView]
    pairs: list[PairOnPlanView]
    frequency_hz: list[float]
    curves: list[ResponseView]
    together_db: list[float] = Field(description="The sum of all against the sum of their powers.")
    bands_hz: dict[str, list[float]]
    says: list[str]


class MicSheetView(BaseModel):
    name: str
    dimensions: list[Dimension]


class PlacementSheetView(BaseModel):
    """What puts the microphones of a trial back where they were."""

    number: int
    part_name: str
    session_name: str
    artist: str
    recorded_at: datetime
    note: str
    room: str
    amp: str
    rig: RigSetup
    plan: PlanView
    mics: list[MicSheetView]


class LengthView(BaseModel):
    metres: float


class SetUpView(BaseModel):
    """A stereo set-up by the trade's name, with its dimensions and where they are from."""

    name: str
    apart_cm: float
    angle_deg: float
    patterns: list[str]
    recording_angle_deg: float
    source: str


class WantedSetUp(BaseModel):
    name: str
    rig: RigSetup


@router.post("/parts/{part_id}/plan")
async def plan(part_id: UUID, rig: RigSetup, pool: Pool) -> PlanView:
    """The plan of a rig as a page has it, whether it is kept yet or not."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        session = await sessions.get_session(conn, part.session_id)
    return await _plan(rig, session.rate_hz)


@router.get("/trials/{trial_id}/sheet")
async def sheet(trial_id: UUID, conn: Transaction) -> PlacementSheetView:
    """All that puts a trial's microphones back where they were, with their plan."""
    trial = await trials.get_trial(conn, trial_id)
    part = await parts.get_part(conn, trial.part_id)
    session = await sessions.get_session(conn, part.session_id)
    rig = RigSetup.model_validate(trial.rig_sheet)
    return PlacementSheetView(
        number=trial.number, part_name=part.name, session_name=session.name, artist=session.artist,
        recorded_at=trial.recorded_at, note=trial.note, room=rig.room, amp=rig.amp.name if rig.amp else "",
        rig=rig, plan=await _plan(rig, session.rate_hz),
        mics=[
            MicSheetView(name=mic.name, dimensions=dimensions(rig, mic))
            for mic in rig.mics
        ],
    )  # fmt: skip


@router.get("/length")
async def length(typed: Annotated[str, Query(max_length=40)]) -> LengthView:
    """A length as it is typed: 1 in, 3 cm, 2 ft."""
    return LengthView(metres=parse_length_m(typed))


@router.get("/stereo-set-ups")
async def set_ups() -> list[SetUpView]:
    """The stereo set-ups that can be put on the plan in one step."""
    from fatsignal.core.mics.microphone import pattern_name
    from fatsignal.core.stereo.set_ups import SET_UPS, recording_angle_deg

    return [
        SetUpView(
            name=each.name, apart_cm=100 * each.apart_m, angle_deg=each.angle_deg,
            patterns=[pattern_name(share) for share in each.patterns],
            recording_angle_deg=recording_angle_deg(each), source=each.source,
        )
        for each in SET_UPS.values()
    ]  # fmt: skip


@router.post("/parts/{part_id}/stereo-set-up")
async def set_up(part_id: UUID, wanted: WantedSetUp, conn: Transaction) -> RigSetup:
    """The rig with its first two microphones put up as a pair; where there are fewer, they are added."""
    from fatsignal.rig.set_ups import put_up

    await parts.get_part(conn, part_id)
    return put_up(wanted.rig, wanted.name)


async def _plan(rig: RigSetup, rate_hz: int) -> PlanView:
    from fatsignal.core.level.third_octaves import NAMED_BANDS_HZ
    from fatsignal.rig.plan import plan_of

    found = await asyncio.to_thread(plan_of, rig, rate_hz=rate_hz)
    return PlanView(
        front=_front(rig.sounding), bands_hz={name: list(each) for name, each in NAMED_BANDS_HZ.items()},
        **asdict(found),
    )  # fmt: skip


def _front(name: str) -> FrontView:
    front = SOUNDING[name]
    return FrontView(
        name=name, title=front.title, width_m=front.width_m, height_m=front.height_m, depth_m=front.depth_m,
        is_guitar=front.is_guitar,
        cones=[
            ConeView(x_m=each.x_m, y_m=each.y_m, radius_m=each.disc.radius_m, depth_m=each.disc.depth_m)
            for each in front.radiators
            if isinstance(each.disc, Cone)
        ],
        points=[PointView(name=each.name, x_m=each.x_m, y_m=each.y_m) for each in front.points],
    )  # fmt: skip
