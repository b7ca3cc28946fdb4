"""What a person does with a take: star or strike it, note something, move its windows, slip it, keep the starred."""

from fractions import Fraction
from typing import Literal
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field, model_validator

from fatsignal.core.takes.slip import slip_of
from fatsignal.core.takes.windows import Window, clipped, joined
from fatsignal.errors import SettingRefused
from fatsignal.store import parts, sessions, takes
from fatsignal.web.context import Transaction
from fatsignal.web.routes.takes import TakeView, one_take

router = APIRouter(prefix="/api", tags=["takes"])


class Rated(BaseModel):
    rating: Literal["starred", "struck"] | None


class Noted(BaseModel):
    note: str = Field(max_length=500)


class Windows(BaseModel):
    windows: list[Window] = Field(max_length=64)


class Slip(BaseModel):
    """How far to move, later where positive: in samples, ms, or note values as quarters ("1/4" is a sixteenth)."""

    samples: int | None = Field(default=None, ge=-(1 << 40), le=1 << 40)
    ms: float | None = Field(default=None, ge=-3_600_000, le=3_600_000)
    quarters: str | None = Field(default=None, pattern=r"^-?[0-9]{1,4}(/[0-9]{1,4})?$")

    @model_validator(mode="after")
    def _one(self) -> "Slip":
        if sum(each is not None for each in (self.samples, self.ms, self.quarters)) != 1:
            raise ValueError("say by how much in one way: samples, ms or quarters")
        if self.quarters and self.quarters.endswith("/0"):
            raise ValueError("a note value has no zeroth part")
        return self


class KeptStarred(BaseModel):
    part_id: UUID
    take_ids: list[UUID] = Field(description="The takes in question, as a section shows them.")


class Binned(BaseModel):
    binned: list[UUID]


@router.put("/takes/{take_id}/rating")
async def rate(take_id: UUID, rated: Rated, conn: Transaction) -> TakeView:
    """A star, a line through it, or neither. What is struck out is not heard beside a roll."""
    await takes.set_rating(conn, take_id, rated.rating)
    return await one_take(conn, take_id)


@router.put("/takes/{take_id}/note")
async def set_note(take_id: UUID, noted: Noted, conn: Transaction) -> TakeView:
    """A person's own words about a take."""
    await takes.set_note(conn, take_id, noted.note.strip())
    return await one_take(conn, take_id)


@router.put("/takes/{take_id}/windows")
async def set_windows(take_id: UUID, wanted: Windows, conn: Transaction) -> TakeView:
    """Use other ranges of what was rolled; all of it stays on disk."""
    take = await takes.get_take(conn, take_id)
    windows = joined(wanted.windows)
    if clipped(windows, take.whole) != windows:
        first, last = (frame / take.rate_hz for frame in take.whole)
        raise SettingRefused(f"a window leaves what was rolled, from {first:.2f} to {last:.2f} s: keep it inside")
    await takes.set_windows(conn, take_id, windows)
    return await one_take(conn, take_id)


@router.post("/takes/{take_id}/slip")
async def slip(take_id: UUID, wanted: Slip, conn: Transaction) -> TakeView:
    """Move a take along the time line, all channels together."""
    take = await takes.get_take(conn, take_id)
    part = await parts.get_part(conn, take.part_id)
    session = await sessions.get_session(conn, part.session_id)
    by_frames = slip_of(
        session.tempo, take.used.from_frame, samples=wanted.samples, ms=wanted.ms,
        quarters=Fraction(wanted.quarters) if wanted.quarters else None,
    )  # fmt: skip
    if take.from_frame + by_frames < 0:
        raise SettingRefused("that would move it before the beginning of the session: move it by less")
    await takes.slip_take(conn, take_id, by_frames)
    return await one_take(conn, take_id)


@router.delete("/takes/{take_id}/slip")
async def put_back(take_id: UUID, conn: Transaction) -> TakeView:
    """Put a take back to where it was recorded, or to where its section has taken it."""
    take = await takes.get_take(conn, take_id)
    await takes.slip_take(conn, take_id, -take.slip_frames)
    return await one_take(conn, take_id)


@router.post("/takes/keep-starred")
async def keep_starred(wanted: KeptStarred, conn: Transaction) -> Binned:
    """Put all takes but the starred ones into the bin; nothing happens where none has a star."""
    binned = await takes.bin_unstarred(conn, wanted.part_id, wanted.take_ids)
    return Binned(binned=binned)
