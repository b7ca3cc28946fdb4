"""Hand-over: chosen channels and prints in one ZIP, which a worker makes."""

import asyncio
from datetime import datetime
from functools import partial
from uuid import UUID

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from fatsignal.acts.finished_prints import FinishedPrint
from fatsignal.acts.hand_over import (
    ParcelAsked,
    channel_keys,
    comp_keys,
    parcel_of,
    part_key,
    print_key,
    prints_to_give,
)
from fatsignal.acts.part_sound import comps_of_session
from fatsignal.acts.printed_sound import printed_parts
from fatsignal.core.material.channels import RecordedKind
from fatsignal.errors import NotFound
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.files.names import file_name
from fatsignal.jobs.kinds.parcels import PARCEL_KIND, parcel_file
from fatsignal.store import parts, sessions, works
from fatsignal.store.comps import StoredComp
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel
from fatsignal.store.works import Work, WorkState
from fatsignal.web.answers import json_beside, written
from fatsignal.web.context import Pool, SettingsDep, TakeListsDep, Transaction, WorkQueueDep
from fatsignal.web.take_lists import PerTake

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["hand-over"])


class HandOverItem(BaseModel):
    """One thing that can be handed over; `key` names it in the request for the ZIP."""

    key: str
    group_id: UUID = Field(description="What it belongs to: a take, or the comp of a part.")
    group: str = Field(description="That in words.")
    name: str
    kind: RecordedKind
    seconds: float
    first_bar: int
    last_bar: int


class ParcelView(BaseModel):
    """A ZIP that was asked for; `bytes` is known when it is done."""

    id: UUID
    state: WorkState
    progress: float
    problem: str
    files: int
    bytes: int | None
    asked_at: datetime
    form: str = Field(description='What the files are: "WAV, 24-bit, all from zero".')
    url: str


def _of_take(session: Session, part_name: str, take: Take, channels: list[TakeChannel]) -> bytes:
    """What a take becomes; in the bin, nothing."""
    if take.binned_at is not None:
        return b""
    items = [
        _item(session, part_name, take, key, name, kind) for key, name, kind in channel_keys(part_name, take, channels)
    ]
    return b",".join(item.model_dump_json().encode() for item in items)


_CHANNELS = PerTake("hand-over", _of_take)


@router.get("/hand-over", response_model=list[HandOverItem])
async def all_items(session_id: UUID, pool: Pool, take_lists: TakeListsDep, settings: SettingsDep) -> Response:
    """Parts that are heard by prints, comps, channels of takes that are not in the bin, finished prints."""
    async with pool.connection() as conn:
        session = await sessions.get_session(conn, session_id)
        names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
        channels = await take_lists.read(conn, session_id, _CHANNELS)
        printed = await prints_to_give(conn, session_id, settings.sessions_folder)
        comped = await comps_of_session(conn, session_id, settings.sessions_folder)
        heard = await printed_parts(conn, session_id, settings.sessions_folder)

    def make() -> bytes:
        of_prints = [_of_print(session, names[each.part_id], each) for each in printed]
        of_comps = [item for comp, sounds in comped for item in _of_comp(session, names[comp.part_id], comp, sounds)]
        of_parts = [
            _of_part(session, names[part_id], part_id, each.sound, *part_key(names[part_id], part_id, each))
            for part_id, each in heard.items()
            if each.sound is not None
        ]
        four = (
            written(list[HandOverItem], of_parts)[1:-1],
            written(list[HandOverItem], of_comps)[1:-1],
            channels()[1:-1],
            written(list[HandOverItem], of_prints)[1:-1],
        )
        return b"[" + b",".join(each for each in four if each) + b"]"

    return await json_beside(make)


def _item(session: Session, part_name: str, take: Take, key: str, name: str, kind: RecordedKind) -> HandOverItem:
    return HandOverItem(
        key=key, group_id=take.id, group=f"{part_name} {take.number}", name=name, kind=kind,
        seconds=take.frames / take.rate_hz,
        first_bar=session.tempo.bar_beat_at(take.used.from_frame)[0],
        last_bar=session.tempo.bar_beat_at(take.used.to_frame - 1)[0],
    )  # fmt: skip


def _of_print(session: Session, part_name: str, printed: FinishedPrint) -> HandOverItem:
    key, name = print_key(part_name, printed)
    first, last = (
        session.tempo.bar_beat_at(frame)[0] for frame in (printed.used.from_frame, printed.used.to_frame - 1)
    )
    of = printed.of
    return HandOverItem(
        key=key, group_id=of.id, group=f"{part_name} {of.number if isinstance(of, Take) else of.name}", name=name,
        kind="sim", seconds=printed.sound.material.frames / session.rate_hz, first_bar=first, last_bar=last,
    )  # fmt: skip


def _of_part(
    session: Session, part_name: str, part_id: UUID, sound: MaterialOnDisk, key: str, name: str
) -> HandOverItem:  # fmt: skip
    span = sound.material.span
    first, last = (session.tempo.bar_beat_at(frame)[0] for frame in (span.from_frame, span.to_frame - 1))
    return HandOverItem(
        key=key, group_id=part_id, group=f"{part_name}, as it is heard", name=name, kind="sim",
        seconds=span.frames / session.rate_hz, first_bar=first, last_bar=last,
    )  # fmt: skip


def _of_comp(session: Session, part_name: str, comp: StoredComp, sounds: MaterialOnDisk) -> list[HandOverItem]:
    span = sounds.material.span
    first, last = (session.tempo.bar_beat_at(frame)[0] for frame in (span.from_frame, span.to_frame - 1))
    return [
        HandOverItem(
            key=key, group_id=comp.id, group=f"{part_name} {comp.name}", name=name, kind=channel.kind,
            seconds=span.frames / session.rate_hz, first_bar=first, last_bar=last,
        )
        for key, name, channel in comp_keys(part_name, comp, sounds)
        if channel.kind != "track"
    ]  # fmt: skip


@router.get("/parcels")
async def parcels(session_id: UUID, conn: Transaction) -> list[ParcelView]:
    """The ZIPs that are being made, can be saved, or failed; the newest first."""
    await sessions.get_session(conn, session_id)
    return [_view(each) for each in await works.list_works(conn, kind=PARCEL_KIND, session_id=session_id)]


@router.post("/parcels", status_code=201)
async def make(
    session_id: UUID, asked: ParcelAsked, pool: Pool, settings: SettingsDep, queue: WorkQueueDep
) -> ParcelView:
    """Make a ZIP of the chosen items, aligned and named; one that was made before is there at once."""
    async with pool.connection() as conn:
        parcel = await parcel_of(conn, session_id, asked, settings.sessions_folder)
    await asyncio.to_thread(parcel.check)
    ask = partial(
        queue.ask, kind=PARCEL_KIND, fingerprint=parcel.fingerprint(), session_id=session_id,
        work_input=asked.model_dump(mode="json"),
    )  # fmt: skip
    work = await ask()
    if work.state == "done" and not parcel_file(settings, work.id).exists():
        work = await ask(anew=True)
    return _view(work)


@router.delete("/parcels/{parcel_id}", status_code=204)
async def stop(session_id: UUID, parcel_id: UUID, conn: Transaction) -> Response:
    """Make it no further."""
    await _parcel(conn, session_id, parcel_id)
    await works.stop(conn, parcel_id)
    return Response(status_code=204)


@router.get(
    "/parcels/{parcel_id}.zip", response_class=FileResponse, responses={200: {"content": {"application/zip": {}}}}
)
async def save(session_id: UUID, parcel_id: UUID, conn: Transaction, settings: SettingsDep) -> FileResponse:
    """A ZIP that is done."""
    session = await sessions.get_session(conn, session_id)
    await _parcel(conn, session_id, parcel_id)
    path = parcel_file(settings, parcel_id)
    if not path.exists():
        raise NotFound("ZIP; make it again", parcel_id)
    return FileResponse(path, media_type="application/zip", filename=f"{file_name(session.name)}.zip")


async def _parcel(conn: Transaction, session_id: UUID, parcel_id: UUID) -> Work:
    work = await works.get_work(conn, parcel_id)
    if work.kind != PARCEL_KIND or work.session_id != session_id:
        raise NotFound("ZIP of this session", parcel_id)
    return work


_STARTS = {"song": "all from zero", "own": "as recorded"}


def _view(work: Work) -> ParcelView:
    asked = ParcelAsked.model_validate(work.input)
    bits = "32-bit float" if asked.depth == "32f" else f"{asked.depth}-bit"
    return ParcelView(
        id=work.id, state=work.state, progress=work.progress, problem=work.problem, files=len(asked.items),
        bytes=work.result["bytes"] if work.result else None, asked_at=work.asked_at,
        form=f"{asked.kind.upper()}, {bits}, {_STARTS[asked.start]}",
        url=f"/api/sessions/{work.session_id}/parcels/{work.id}.zip",
    )  # fmt: skip
