"""Imports: sound files that were received become a take."""

import shutil
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar
from uuid import UUID

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.core.material.channels import RecordedKind
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.store import parts, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.works import Work

if TYPE_CHECKING:
    from fatsignal.store.takes import Take, TakeChannel

IMPORT_KIND = "import"
Asked = TypeVar("Asked")
# Number of a part's next take, or of its next clip.
NextNumber = Callable[[Connection, Path, Session, Part], Awaitable[int]]
_REMEMBERED = 100


class ReceivedFile(BaseModel):
    """A file as it lies in the folder of what was received, and the name that the person knows."""

    path: Path
    shown_name: str
    kind: RecordedKind


class ImportInput(BaseModel):
    """Files of one take, and where they go."""

    files: list[ReceivedFile]
    part_id: UUID
    placing: Literal["fitting", "stamp", "sound", "bar"]
    bar: int


@dataclass(frozen=True, slots=True)
class Importing(Generic[Asked]):
    """What is asked for, where it goes, and the name of the empty file that marks a folder as unfinished."""

    asked: Asked
    session: Session
    part: Part
    number: int
    mark: str
    settings: Settings


async def prepared(
    conn: Connection, work: Work, settings: Settings, asked: Asked, part_id: UUID, next_number: NextNumber
) -> Importing[Asked]:
    """The same for all that is imported into a part."""
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    number = await next_number(conn, settings.sessions_folder, session, part)
    return Importing(asked, session, part, number, f"importing-{work.id}", settings)


async def _prepare(conn: Connection, work: Work, settings: Settings) -> Importing[ImportInput]:
    from fatsignal.acts.take_numbers import next_number

    asked = ImportInput.model_validate(work.input)
    return await prepared(conn, work, settings, asked, asked.part_id, next_number)


def tidy(prepared: Importing[Any]) -> None:
    """A folder that an attempt before this one began and did not finish."""
    from fatsignal.acts.take_numbers import part_folder

    for left in part_folder(prepared.settings.sessions_folder, prepared.session, prepared.part).glob(
        f"*/{prepared.mark}"
    ):
        shutil.rmtree(left.parent, ignore_errors=True)


def _compute(prepared: Importing[ImportInput], _: str, tell: Tell) -> "tuple[Take, list[TakeChannel]]":
    from fatsignal.acts.import_take import Incoming, import_take

    asked = prepared.asked
    return import_take(
        [Incoming(file.path, file.shown_name, file.kind) for file in asked.files], session=prepared.session,
        part=prepared.part, number=prepared.number, placing=asked.placing, bar=asked.bar,
        sessions_folder=prepared.settings.sessions_folder, waves_folder=prepared.settings.waves_folder,
        mark=prepared.mark, on_progress=tell,
    )  # fmt: skip


async def _keep(conn: Connection, prepared: Importing[ImportInput], made: "tuple[Take, list[TakeChannel]]") -> Any:
    take, _ = await takes.add_take_numbered(conn, *made)
    (prepared.settings.sessions_folder / take.folder / prepared.mark).unlink(missing_ok=True)
    return {"take_id": str(take.id)}


IMPORT = WorkKind(
    name=IMPORT_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, tidy=tidy, remembered=_REMEMBERED
)
