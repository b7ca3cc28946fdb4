"""Comp files: a comp written as one file for each channel."""

from typing import TYPE_CHECKING, Any
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.errors import ChangedMeanwhile
from fatsignal.jobs.kind import SHORT, Tell, WorkKind, keep_result
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.acts.comp.files import ToWrite

COMP_FILES_KIND = "comp files"


class CompFilesInput(BaseModel):
    """Which comp, over which section; without one over all of it."""

    comp_id: UUID
    section_id: UUID | None = None


async def _prepare(conn: Connection, work: Work, settings: Settings) -> "ToWrite":
    from fatsignal.acts.comp.files import to_write

    asked = CompFilesInput.model_validate(work.input)
    what = await to_write(conn, asked.comp_id, asked.section_id, settings.sessions_folder)
    if what.fingerprint() != work.fingerprint:
        raise ChangedMeanwhile("the comp was changed since its files were asked for: ask again")
    return what


def _compute(what: "ToWrite", holder: str, tell: Tell) -> Any:
    from fatsignal.acts.comp.files import write_comp

    return write_comp(what, holder=holder, on_progress=tell)


def _tidy(what: "ToWrite") -> None:
    from fatsignal.acts.comp.files import tidy

    tidy(what)


COMP_FILES = WorkKind(
    name=COMP_FILES_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=keep_result, tidy=_tidy
)
