"""The phrase grid: what is found in each take of a section, phrase by phrase, and how it stands against the click."""

from typing import Literal
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.jobs.kinds.judging import TUNING_DRIFT_KIND
from fatsignal.store.works import Work
from fatsignal.web.context import Pool, WorkQueueDep
from fatsignal.web.judged_sections import judged_section, of_what_stays

router = APIRouter(prefix="/api/parts/{part_id}", tags=["takes"])


class FindingView(BaseModel, from_attributes=True):
    """One thing at one place; `says` are the words of the mark."""

    kind: str
    at_frame: int
    to_frame: int | None
    amount: float
    says: str
    verdict: Literal["look", "fix"]
    channel: str | None
    explained: str


class CellView(BaseModel):
    """One take at one phrase: at most three marks, the worst first, and everything that was found."""

    first_bar: int
    played: bool
    marks: list[FindingView] = Field(max_length=3)
    findings: list[FindingView]


class StrokeView(BaseModel, from_attributes=True):
    frame: int
    place_frame: int
    ms: float


class TimingView(BaseModel, from_attributes=True):
    """Against the click, ms: positive is late."""

    mean_ms: float
    spread_ms: float
    drift_ms: float
    subdivision: int
    strokes: list[StrokeView]


class NoteView(BaseModel, from_attributes=True):
    """A note whose pitch can be read, against equal temperament."""

    frame: int
    name: str
    cents: float


class CascadeView(BaseModel, from_attributes=True):
    """It follows a late take that was heard, instead of the click."""

    take_id: UUID
    says: str


class JudgedTakeView(BaseModel):
    take_id: UUID
    cells: list[CellView]
    timing: TimingView
    notes: list[NoteView]
    cascade: CascadeView | None


class JudgedView(BaseModel):
    section_id: UUID
    takes: list[JudgedTakeView]


class TuningDriftView(BaseModel):
    """A note that moved by so many cents between two takes of the part."""

    note: str
    cents: float
    first_number: int
    last_number: int
    says: str


@router.get("/judged/{section_id}")
async def judged(part_id: UUID, section_id: UUID, pool: Pool, queue: WorkQueueDep) -> JudgedView:
    """Every take that touches a section, newest first, compared phrase by phrase."""
    return JudgedView.model_validate(await judged_section(pool, queue, part_id, section_id))


@router.get("/tuning-drift")
async def tuning_drift(part_id: UUID, pool: Pool, queue: WorkQueueDep) -> list[TuningDriftView]:
    """Notes that went out of tune from take to take of a part, the farthest first."""
    from fatsignal.acts.judged_section import load_part

    async def asked() -> Work:
        async with pool.connection() as conn:
            loaded = await load_part(conn, part_id)
        return await queue.ask(
            kind=TUNING_DRIFT_KIND, fingerprint=loaded.fingerprint(), session_id=loaded.session.id,
            work_input={"part_id": str(part_id)},
        )  # fmt: skip

    return [TuningDriftView.model_validate(each) for each in await of_what_stays(asked, queue)]
