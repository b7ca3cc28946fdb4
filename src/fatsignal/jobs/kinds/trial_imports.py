"""Imports of sounds that placements are held against."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.jobs.kinds.imports import Importing, ReceivedFile, prepared, tidy
from fatsignal.store import trials
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.store.trials import Trial

TRIAL_IMPORT_KIND = "trial import"
_REMEMBERED = 100


class TrialImportInput(BaseModel):
    files: list[ReceivedFile]
    part_id: UUID


async def _prepare(conn: Connection, work: Work, settings: Settings) -> Importing[TrialImportInput]:
    from fatsignal.acts.take_numbers import next_trial_number

    asked = TrialImportInput.model_validate(work.input)
    return await prepared(conn, work, settings, asked, asked.part_id, next_trial_number)


def _compute(prepared: Importing[TrialImportInput], _: str, tell: Tell) -> "Trial":
    from fatsignal.acts.import_take import Incoming
    from fatsignal.acts.import_trial import import_trial

    return import_trial(
        [Incoming(file.path, file.shown_name, file.kind) for file in prepared.asked.files], session=prepared.session,
        part=prepared.part, number=prepared.number, sessions_folder=prepared.settings.sessions_folder,
        waves_folder=prepared.settings.waves_folder, mark=prepared.mark,
    )  # fmt: skip


async def _keep(conn: Connection, prepared: Importing[TrialImportInput], made: "Trial") -> Any:
    trial, _ = await trials.add_trial(conn, made)
    (prepared.settings.sessions_folder / trial.folder / prepared.mark).unlink(missing_ok=True)
    return {"trial_id": str(trial.id)}


TRIAL_IMPORT = WorkKind(
    name=TRIAL_IMPORT_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, tidy=tidy,
    remembered=_REMEMBERED,
)  # fmt: skip
