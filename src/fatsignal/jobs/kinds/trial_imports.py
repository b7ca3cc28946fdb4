"""Imports of sounds that placements are held against."""

import shutil
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.jobs.kinds.imports import ReceivedFile
from fatsignal.store import parts, sessions, trials
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.store.trials import Trial

TRIAL_IMPORT_KIND = "trial import"
_REMEMBERED = 100


class TrialImportInput(BaseModel):
    files: list[ReceivedFile]
    part_id: UUID


@dataclass(frozen=True, slots=True)
class _Prepared:
    asked: TrialImportInput
    session: Session
    part: Part
    number: int
    mark: str
    settings: Settings


async def _prepare(conn: Connection, work: Work, settings: Settings) -> _Prepared:
    from fatsignal.acts.take_numbers import next_trial_number

    asked = TrialImportInput.model_validate(work.input)
    part = await parts.get_part(conn, asked.part_id)
    session = await sessions.get_session(conn, part.session_id)
    number = await next_trial_number(conn, settings.sessions_folder, session, part)
    return _Prepared(asked, session, part, number, f"importing-{work.id}", settings)


def _tidy(prepared: _Prepared) -> None:
    """A clip's folder that an attempt before this one began and did not finish."""
    from fatsignal.acts.take_numbers import part_folder

    folder = part_folder(prepared.settings.sessions_folder, prepared.session, prepared.part)
    for left in folder.glob(f"*/{prepared.mark}"):
        shutil.rmtree(left.parent, ignore_errors=True)


def _compute(prepared: _Prepared, _: str, tell: Tell) -> "Trial":
    from fatsignal.acts.import_take import Incoming
    from fatsignal.acts.import_trial import import_trial

    return import_trial(
        [Incoming(file.path, file.shown_name, file.kind) for file in prepared.asked.files], session=prepared.session,
        part=prepared.part, number=prepared.number, sessions_folder=prepared.settings.sessions_folder,
        waves_folder=prepared.settings.waves_folder, mark=prepared.mark,
    )  # fmt: skip


async def _keep(conn: Connection, prepared: _Prepared, made: "Trial") -> Any:
    trial, _ = await trials.add_trial(conn, made)
    (prepared.settings.sessions_folder / trial.folder / prepared.mark).unlink(missing_ok=True)
    return {"trial_id": str(trial.id)}


TRIAL_IMPORT = WorkKind(
    name=TRIAL_IMPORT_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, tidy=_tidy,
    remembered=_REMEMBERED,
)  # fmt: skip
