"""What is made of a comp: files of its own, and prints."""

from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.finished_prints import finished_prints
from fatsignal.core.material.channels import RecordedKind
from fatsignal.jobs.kinds.comp_files import COMP_FILES_KIND, CompFilesInput
from fatsignal.store import comps, parts, prints, works
from fatsignal.store.database import Connection
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.judged_sections import of_what_stays
from fatsignal.web.presenters.prints import PrintView

router = APIRouter(prefix="/api/comps/{comp_id}", tags=["comp"])


class CompFileView(BaseModel):
    """One channel of a comp as a file."""

    file: str = Field(description="Below the folder of all sessions.")
    channel: str
    kind: RecordedKind
    frames: int
    asked_at: datetime
    there: bool


class CompPrintView(BaseModel):
    """A print of a comp; `of_now` says whether the comp still sounds so."""

    made: PrintView
    of_now: bool


class CompMadeView(BaseModel):
    files: list[CompFileView] = Field(description="The newest first.")
    prints: list[CompPrintView]


class FilesAsked(BaseModel):
    section_id: UUID | None = Field(default=None, description="Over which section; without one over all of it.")


@router.get("/made")
async def made(comp_id: UUID, conn: Transaction, settings: SettingsDep) -> CompMadeView:
    """Files and prints that were made of a version of a comp."""
    return await _made(conn, comp_id, settings.sessions_folder)


@router.post("/files", status_code=201)
async def write(
    comp_id: UUID, wanted: FilesAsked, pool: Pool, queue: WorkQueueDep, settings: SettingsDep
) -> CompMadeView:  # fmt: skip
    """Write a comp as files, one for each channel; what was written so before is not written again."""
    from fatsignal.acts.comp.files import to_write

    asked = CompFilesInput(comp_id=comp_id, section_id=wanted.section_id)

    async def ask() -> works.Work:
        async with pool.connection() as conn:
            what = await to_write(conn, comp_id, wanted.section_id, settings.sessions_folder)
            version = await comps.get_comp(conn, comp_id)
            session_id = (await parts.get_part(conn, version.part_id)).session_id
        ask_for = partial(
            queue.ask, kind=COMP_FILES_KIND, fingerprint=what.fingerprint(), session_id=session_id,
            work_input=asked.model_dump(mode="json"),
        )  # fmt: skip
        work = await ask_for()
        if work.state == "done" and not all(_there(file, settings.sessions_folder) for file in work.result["files"]):
            work = await ask_for(anew=True)
        return work

    await of_what_stays(ask, queue)
    async with pool.connection() as conn:
        return await _made(conn, comp_id, settings.sessions_folder)


async def _made(conn: Connection, comp_id: UUID, sessions_folder: Path) -> CompMadeView:
    version = await comps.get_comp(conn, comp_id)
    session_id = (await parts.get_part(conn, version.part_id)).session_id
    written = [
        (work.asked_at, file)
        for work in await works.list_works(conn, kind=COMP_FILES_KIND, session_id=session_id)
        if work.state == "done" and work.input["comp_id"] == str(comp_id)
        for file in work.result["files"]
    ]
    of_comp = [each for each in await prints.list_prints(conn, session_id) if each.material_id == comp_id]
    of_now = {each.print_.id: each.of_now for each in await finished_prints(conn, of_comp, sessions_folder)}
    return CompMadeView(
        files=[
            CompFileView.model_validate({**file, "asked_at": at, "there": _there(file, sessions_folder)})
            for at, file in written
        ],
        prints=[
            CompPrintView(made=PrintView.model_validate(each), of_now=of_now.get(each.id, True)) for each in of_comp
        ],
    )


def _there(file: dict[str, Any], sessions_folder: Path) -> bool:
    return (sessions_folder / str(file["file"])).exists()
