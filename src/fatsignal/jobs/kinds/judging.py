"""Judging: the takes of a part in a section compared, and how a part's tuning drifted over its takes."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from fatsignal.config import Settings
from fatsignal.errors import ChangedMeanwhile
from fatsignal.jobs.kind import SHORT, Tell, WorkKind, keep_result
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.judged_section import PartToHear, ToJudge

JUDGING_KIND, TUNING_DRIFT_KIND, STROKES_KIND = "judging", "tuning drift", "strokes"
_REMEMBERED = 300


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "tuple[ToJudge, Settings]":
    from fatsignal.acts.judged_section import load_section

    loaded = await load_section(conn, UUID(work.input["part_id"]), UUID(work.input["section_id"]))
    return _same(loaded, work), settings


async def _prepare_drift(conn: Connection, work: Work, settings: Settings) -> "tuple[PartToHear, Settings]":
    from fatsignal.acts.judged_section import load_part

    return _same(await load_part(conn, UUID(work.input["part_id"])), work), settings


def _same(loaded: Any, work: Work) -> Any:
    """What was loaded, if it still is what was asked about."""
    if loaded.fingerprint() != work.fingerprint:
        raise ChangedMeanwhile("the takes have changed since they were asked about: look again")
    return loaded


def _compute(prepared: "tuple[ToJudge, Settings]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.judged_section import judged

    loaded, settings = prepared
    return judged(loaded, sessions_folder=settings.sessions_folder, waves_folder=settings.waves_folder)


def _compute_strokes(prepared: "tuple[ToJudge, Settings]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.comp.strokes import strokes_of

    loaded, settings = prepared
    return strokes_of(loaded, sessions_folder=settings.sessions_folder, waves_folder=settings.waves_folder)


def _compute_drift(prepared: "tuple[PartToHear, Settings]", _: str, tell: Tell) -> Any:
    from fatsignal.acts.judged_section import drifts

    loaded, settings = prepared
    return drifts(loaded, sessions_folder=settings.sessions_folder, waves_folder=settings.waves_folder)


JUDGING = WorkKind(
    name=JUDGING_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=keep_result, remembered=_REMEMBERED
)
STROKES = WorkKind(
    name=STROKES_KIND, queue=SHORT, prepare=_prepare, compute=_compute_strokes, keep=keep_result, remembered=_REMEMBERED
)
TUNING_DRIFT = WorkKind(
    name=TUNING_DRIFT_KIND, queue=SHORT, prepare=_prepare_drift, compute=_compute_drift, keep=keep_result,
    remembered=_REMEMBERED,
)  # fmt: skip
