"""Takes: what was recorded, its sound; bringing in a file; the bin."""

from typing import Annotated, Literal, get_args
from uuid import UUID

from fastapi import APIRouter, File, Form, Query, Response, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from fatsignal.acts.bin import bin_takes
from fatsignal.core.material.channels import RecordedKind
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.jobs.kinds.imports import IMPORT_KIND, ImportInput, ReceivedFile
from fatsignal.store import listed_takes, parts, prints, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.web.answers import json_beside
from fatsignal.web.context import EngineDep, Pool, SettingsDep, TakeListsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.takes import TAKES, TakeView, one_take
from fatsignal.web.sound_files import received, sound_file

router = APIRouter(prefix="/api", tags=["takes"])


@router.get("/sessions/{session_id}/takes", response_model=list[TakeView])
async def all_takes(session_id: UUID, pool: Pool, lists: TakeListsDep) -> Response:
    """Every take of the session with its channels and checks, the newest of each part first."""
    async with pool.connection() as conn:
        make = await lists.read(conn, session_id, TAKES)
    return await json_beside(make)


class WaitingTake(BaseModel):
    """A take on disk that is not yet entered, and why not."""

    folder: str = Field(description="Below the folder of all sessions.")
    problem: str
    tries: int


@router.get("/takes/waiting")
async def waiting_takes(engine: EngineDep) -> list[WaitingTake]:
    """Takes that were rolled and could not be entered yet; they are tried again by themselves."""
    return [WaitingTake(folder=each.folder, problem=each.problem, tries=each.tries) for each in engine.entering.waiting]


@router.post("/takes/waiting/try", status_code=204)
async def try_waiting_takes(engine: EngineDep) -> Response:
    """Try at once to enter what waits."""
    engine.entering.try_again()
    return Response(status_code=204)


@router.get("/imports/kinds")
async def guessed_kinds(
    names: Annotated[list[str], Query(alias="name", min_length=1, max_length=12)],
) -> list[RecordedKind]:
    """What files that were recorded elsewhere probably hold, by their names; a person says what is right."""
    from fatsignal.core.takes.channel_names import guess_kinds

    return guess_kinds(names)


@router.post("/sessions/{session_id}/imports", status_code=201)
async def import_files(
    session_id: UUID,
    files: Annotated[list[UploadFile], File(min_length=1, max_length=12)],
    part_id: Annotated[UUID, Form()],
    pool: Pool,
    settings: SettingsDep,
    queue: WorkQueueDep,
    kinds: Annotated[str, Form(description="Of each file: di, mic or sim, with commas between.")] = "",
    placing: Annotated[Literal["fitting", "stamp", "sound", "bar"], Form()] = "fitting",
    bar: Annotated[int, Form(ge=1, le=2000)] = 1,
) -> TakeView:
    """Bring in files of one's own: together they become one take of the part, time-locked."""
    async with pool.connection() as conn:
        await sessions.get_session(conn, session_id)
        await parts.get_part(conn, part_id)
    async with received(files, settings.uploads_folder, largest_bytes=settings.largest_upload_bytes) as upload:
        chosen = _kinds(kinds, [each.shown_name for each in upload.files])
        asked = ImportInput(
            files=[
                ReceivedFile(path=each.path, shown_name=each.shown_name, kind=kind)
                for each, kind in zip(upload.files, chosen, strict=True)
            ],
            part_id=part_id, placing=placing, bar=bar,
        )  # fmt: skip
        work = await queue.ask(
            kind=IMPORT_KIND, fingerprint=upload.name, session_id=session_id, work_input=asked.model_dump(mode="json")
        )
        made = await queue.result(work)
    async with pool.connection() as conn:
        return await one_take(conn, UUID(made["take_id"]))


def _kinds(typed: str, names: list[str]) -> list[RecordedKind]:
    from fatsignal.core.takes.channel_names import guess_kinds

    if not typed:
        return guess_kinds(names)
    words = [word.strip() for word in typed.split(",")]
    if len(words) != len(names) or any(word not in get_args(RecordedKind) for word in words):
        kinds = ", ".join(get_args(RecordedKind))
        raise InvalidSetting(f"say of each of the {len(names)} files what it is: {kinds}")
    return words  # type: ignore[return-value]


@router.post("/takes/{take_id}/bin", status_code=204)
async def bin_take(take_id: UUID, conn: Transaction) -> Response:
    """Put a take into the bin; its audio stays on disk."""
    await bin_takes(conn, await _session_of(conn, take_id), [take_id], binned=True)
    return Response(status_code=204)


@router.delete("/takes/{take_id}/bin", status_code=204)
async def unbin_take(take_id: UUID, conn: Transaction) -> Response:
    """Take a take out of the bin."""
    await bin_takes(conn, await _session_of(conn, take_id), [take_id], binned=False)
    return Response(status_code=204)


class TakesToBin(BaseModel):
    take_ids: list[UUID] = Field(min_length=1, max_length=2000)
    binned: bool = True


@router.post("/sessions/{session_id}/takes/bin", status_code=204)
async def bin_many(session_id: UUID, wanted: TakesToBin, conn: Transaction) -> Response:
    """Put several takes of a session into the bin, or take them out, as one act."""
    there = {take.id for take in await listed_takes.list_versions(conn, session_id)}
    for take_id in wanted.take_ids:
        if take_id not in there:
            raise NotFound("take", take_id)
    await bin_takes(conn, session_id, wanted.take_ids, binned=wanted.binned)
    return Response(status_code=204)


async def _session_of(conn: Connection, take_id: UUID) -> UUID:
    return (await parts.get_part(conn, (await takes.get_take(conn, take_id)).part_id)).session_id


@router.get("/takes/{take_id}/channels/{position}/audio", response_class=FileResponse)
async def channel_audio(take_id: UUID, position: int, conn: Transaction, settings: SettingsDep) -> FileResponse:
    """One channel as it was recorded."""
    take = await takes.get_take(conn, take_id)
    for channel in (await takes.channels_of(conn, [take_id]))[take_id]:
        if channel.position == position:
            return sound_file(settings.sessions_folder / take.folder / channel.file)
    raise NotFound("channel", position)


@router.get("/prints/{print_id}/audio", response_class=FileResponse)
async def print_audio(print_id: UUID, conn: Transaction, settings: SettingsDep) -> FileResponse:
    """A finished print."""
    print_ = await prints.get_print(conn, print_id)
    if print_.file is None:
        raise NotFound("finished print", print_id)
    return sound_file(settings.sessions_folder / print_.file)
