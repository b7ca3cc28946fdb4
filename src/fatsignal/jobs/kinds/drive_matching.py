"""Matching of drive on the bench: a search over the tone's own knobs takes some seconds."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.jobs.kind import SHORT, Tell, WorkKind, keep_result
from fatsignal.jobs.kinds.benching import heard_on_bench
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.bench_measure import Heard

DRIVE_MATCH_KIND = "drive match"
_REMEMBERED = 50


class DriveMatchInput(BaseModel):
    """The tone on a part's bench, and the sound that it is to be driven like; `told` is all that makes them so."""

    part_id: UUID
    key: str
    told: list[Any]


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "tuple[Heard, Heard]":
    asked = DriveMatchInput.model_validate(work.input)
    own = await heard_on_bench(conn, asked.part_id, "tone", settings)
    return own, await heard_on_bench(conn, asked.part_id, asked.key, settings)


def _compute(both: "tuple[Heard, Heard]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.bench_match import drive_turns

    return drive_turns(*both)


DRIVE_MATCH = WorkKind(
    name=DRIVE_MATCH_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
