"""What a person does with a take: star or strike it, note something, move its windows, slip it, keep the starred."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from fractions import Fraction
from typing import Literal
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field, model_validator

from fatsignal.core.takes.windows import Window, clipped, joined
from fatsignal.core.timing.shift import Shift
from fatsignal.errors import InvalidSetting
from fatsignal.store import history, parts, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.web.context import Transaction
from fatsignal.web.presenters.takes import TakeView, one_take, take_revision
from fatsignal.web.revisions import IfMatch, check_revision

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

    @property
    def shift(self) -> Shift:
        if self.samples is not None:
            return Shift(Fraction(self.samples), "samples")
        return Shift(Fraction(self.quarters), "quarters") if self.quarters else Shift(Fraction(self.ms or 0), "ms")


class KeptStarred(BaseModel):
    part_id: UUID
    take_ids: list[UUID] = Field(description="The takes in question, as a section shows them.")


class Binned(BaseModel):
    binned: list[UUID]


@router.put("/takes/{take_id}/rating")
async def rate(take_id: UUID, rated: Rated, conn: Transaction, seen: IfMatch = None) -> TakeView:
    """A star, a line through it, or neither. What is struck out counts nowhere; what is starred counts first."""
    did = {"starred": "starred", "struck": "rejected", None: "no longer marked"}[rated.rating]
    async with _acting(conn, take_id, "rate", did, seen):
        await takes.set_rating(conn, take_id, rated.rating)
    return await one_take(conn, take_id)


@router.put("/takes/{take_id}/note")
async def set_note(take_id: UUID, noted: Noted, conn: Transaction, seen: IfMatch = None) -> TakeView:
    """A person's own words about a take."""
    async with _acting(conn, take_id, "note", "note changed", seen):
        await takes.set_note(conn, take_id, noted.note.strip())
    return await one_take(conn, take_id)


@router.put("/takes/{take_id}/windows")
async def set_windows(take_id: UUID, wanted: Windows, conn: Transaction, seen: IfMatch = None) -> TakeView:
    """Use other ranges of what was rolled; all of it stays on disk."""
    async with _acting(conn, take_id, "windows", "windows changed", seen) as take:
        windows = joined(wanted.windows)
        if clipped(windows, take.whole) != windows:
            first, last = (frame / take.rate_hz for frame in take.whole)
            raise InvalidSetting(f"a window leaves what was rolled, from {first:.2f} to {last:.2f} s: keep it inside")
        await takes.set_windows(conn, take_id, windows)
    return await one_take(conn, take_id)


@router.post("/takes/{take_id}/slip")
async def slip(take_id: UUID, wanted: Slip, conn: Transaction, seen: IfMatch = None) -> TakeView:
    """Move a take along the time line, all channels together."""
    async with _acting(conn, take_id, "slip", "slipped", seen) as take:
        part = await parts.get_part(conn, take.part_id)
        session = await sessions.get_session(conn, part.session_id)
        by_frames = wanted.shift.frames_from(take.used.from_frame, session.tempo)
        if take.from_frame + by_frames < 0:
            raise InvalidSetting("that would move it before the beginning of the session: move it by less")
        await takes.slip_take(conn, take_id, by_frames)
    return await one_take(conn, take_id)


@router.delete("/takes/{take_id}/slip")
async def put_back(take_id: UUID, conn: Transaction, seen: IfMatch = None) -> TakeView:
    """Put a take back to where it was recorded, or to where its section has taken it."""
    async with _acting(conn, take_id, "slip", "put back to its place", seen) as take:
        await takes.slip_take(conn, take_id, -take.slip_frames)
    return await one_take(conn, take_id)


@router.post("/takes/keep-starred")
async def keep_starred(wanted: KeptStarred, conn: Transaction) -> Binned:
    """Put all takes but the starred ones into the bin; nothing happens where none has a star."""
    part = await parts.get_part(conn, wanted.part_id)
    says, scope = f"{part.name}: kept only the starred", {"take": wanted.take_ids}
    async with history.act(conn, part.session_id, kind="keep starred", says=says, scope=scope):
        binned = await takes.bin_unstarred(conn, wanted.part_id, wanted.take_ids)
    return Binned(binned=binned)


@asynccontextmanager
async def _acting(conn: Connection, take_id: UUID, kind: str, did: str, seen: str | None) -> AsyncIterator[takes.Take]:
    """An act on one take, as it is when its turn comes."""
    take = await takes.get_take(conn, take_id)
    part = await parts.get_part(conn, take.part_id)
    says = f"{part.name} {take.number:02d} {did}"
    scope: history.Scope = {"take": [take_id]}
    async with history.act(conn, part.session_id, kind=kind, says=says, scope=scope, subject=str(take_id)):
        now = await takes.get_take(conn, take_id)
        check_revision(seen, take_revision(now), what=f"{part.name} {take.number:02d}")
        yield now
