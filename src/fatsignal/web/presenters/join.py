"""A join from close up, as pages show it."""

from typing import TYPE_CHECKING
from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.acts.comp.close_up import CloseUp
from fatsignal.core.material.channels import RecordedKind

if TYPE_CHECKING:
    from fatsignal.core.comp.joins import JoinPoint


class JoinChannelView(BaseModel):
    """A channel of both takes, the lowest and the highest of each column in turn, in 127ths, and the fade's gains."""

    name: str
    kind: RecordedKind
    before: list[int]
    after: list[int]
    closes: list[float] = Field(description="Gain of the take that ends, from the fade's first frame to its last.")
    opens: list[float]
    alike: float = Field(description="Correlation of both sides there: 1 is the same sound, 0 are strangers.")


class JoinPointView(BaseModel):
    """A place for a join, and what is measured of it."""

    frame: int
    ms: float
    look: str = Field(description="What may be heard of it; empty where it is clean.")
    level_step_db: float
    apart_db: float = Field(description="How loud what the two do not share is, against what is heard around.")


class RigsDifferView(BaseModel, from_attributes=True):
    """The rigs of both takes: what differs, and what was measured over bars that both play."""

    says: list[str]
    level_db: float | None = Field(description="By how much the second is louder.")
    apart_db: float | None = Field(description="Mean distance of their thirds of an octave, loudness aside.")
    thirds_hz: list[float]
    thirds_db: list[float] = Field(description="The second against the first.")


class JoinCloseUp(BaseModel):
    from_frame: int
    to_frame: int
    first_frame: int = Field(description="No fade reaches farther: one of the takes has no sound there.")
    last_frame: int
    before_take_id: UUID
    after_take_id: UUID
    point: JoinPointView
    channels: list[JoinChannelView]
    others: list[JoinPointView] = Field(description="Places to try, the best first.")
    rigs: RigsDifferView | None = Field(description="Null where both were recorded with the same rig.")


def join_view(close_up: CloseUp) -> JoinCloseUp:
    rate_hz = close_up.rate_hz
    return JoinCloseUp(
        from_frame=close_up.drawn.from_frame, to_frame=close_up.drawn.to_frame,
        first_frame=close_up.movable.from_frame, last_frame=close_up.movable.to_frame,
        before_take_id=close_up.take_ids[0], after_take_id=close_up.take_ids[1],
        rigs=RigsDifferView.model_validate(close_up.rigs) if close_up.rigs else None,
        point=_point(close_up.point, rate_hz), others=[_point(point, rate_hz) for point in close_up.others],
        channels=[
            JoinChannelView(
                name=each.channel.name, kind=each.channel.kind, before=each.before.ravel().tolist(),
                after=each.after.ravel().tolist(),
                closes=each.closes, opens=each.opens, alike=each.alike,
            )
            for each in close_up.channels
        ],
    )  # fmt: skip


def _point(point: "JoinPoint", rate_hz: int) -> JoinPointView:
    return JoinPointView(
        frame=point.frame, ms=1000 * point.join.frames / rate_hz, look=point.join.look,
        level_step_db=round(point.level_step_db, 1), apart_db=round(point.apart_db, 1),
    )  # fmt: skip
