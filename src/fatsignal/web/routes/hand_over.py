"""Hand-over: chosen channels and prints in one ZIP."""

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Query, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from fatsignal.acts.materials import material_of_print, material_of_take
from fatsignal.core.material.channels import RecordedKind, Wanted
from fatsignal.errors import SettingRefused
from fatsignal.files.names import channel_name, file_name, take_stem
from fatsignal.store import parts, prints, sessions, takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.web.answers import answer_beside
from fatsignal.web.context import Place, Transaction

_RECORDED = {
    "di": "Recorded dry.",
    "mic": "Recorded from the amp.",
    "sim": "The tone that was heard while it was played, printed with it.",
}

router = APIRouter(prefix="/api/sessions/{session_id}", tags=["hand-over"])


class HandOverItem(BaseModel):
    """One thing that can be handed over; `key` names it in the request for the ZIP."""

    key: str
    take_id: UUID
    name: str
    kind: RecordedKind
    seconds: float
    first_bar: int
    last_bar: int


@router.get("/hand-over", response_model=list[HandOverItem])
async def what_there_is(session_id: UUID, conn: Transaction) -> Response:
    """All channels of takes that are not in the bin, and all finished prints."""
    session = await sessions.get_session(conn, session_id)
    material = await _material(conn, session_id)
    return await answer_beside(list[HandOverItem], lambda: _items(session, material))


def _items(session: Session, material: "list[_OfTake]") -> list[HandOverItem]:
    found = []
    for take, part_name, channels, ready in material:
        stem = take_stem(part_name, take.number)
        bars = (
            session.tempo.bar_beat_at(take.used.from_frame)[0],
            session.tempo.bar_beat_at(take.used.to_frame - 1)[0],
        )
        entries = [(f"channel-{take.id}-{c.position}", channel_name(stem, c.name), c.kind) for c in channels]
        entries += [(f"print-{p.id}", f"{stem} - {p.tone_name} r{p.tone_revision}", "sim") for p in ready]
        found += [
            HandOverItem(
                key=key, take_id=take.id, name=name, kind=kind,
                seconds=take.frames / take.rate_hz, first_bar=bars[0], last_bar=bars[1],
            )
            for key, name, kind in entries
        ]  # fmt: skip
    return found


@router.get("/hand-over.zip", response_class=StreamingResponse)
async def hand_over(
    session_id: UUID,
    conn: Transaction,
    place: Place,
    item: Annotated[list[str], Query(max_length=500)],
    kind: Literal["wav", "flac"] = "wav",
    depth: Literal["16", "24", "32f"] = "24",
    start: Literal["song", "own"] = "song",
) -> StreamingResponse:
    """The chosen items, aligned and named, as a ZIP of open files."""
    from fatsignal.acts.hand_over import Item, stream_zip

    session = await sessions.get_session(conn, session_id)
    chosen = set(item)
    items = []
    for take, part_name, channels, ready in await _material(conn, session_id):
        stem = take_stem(part_name, take.number)
        recorded = material_of_take(take, channels, place.sessions_folder)
        for channel in channels:
            if (key := f"channel-{take.id}-{channel.position}") in chosen:
                chosen.discard(key)
                name = channel_name(stem, channel.name)
                items.append(
                    Item(recorded, Wanted.exactly(channel.key), name, take.recorded_at, _RECORDED[channel.kind])
                )
        for print_ in ready:
            if (key := f"print-{print_.id}") in chosen:
                chosen.discard(key)
                name = f"{stem} - {print_.tone_name} r{print_.tone_revision}"
                says = f"Re-amped through {print_.tone_name}, revision {print_.tone_revision}."
                printed = material_of_print(
                    print_, first_frame=take.from_frame, rate_hz=take.rate_hz, sessions_folder=place.sessions_folder
                )
                items.append(Item(printed, Wanted(), name, take.recorded_at, says))
    if chosen:
        raise SettingRefused(f"{len(chosen)} of the chosen things are not there any more: reload the page")
    pieces = stream_zip(session, items, kind=kind, depth=depth, start=start)
    return StreamingResponse(
        pieces,
        media_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{_ascii(file_name(session.name))}.zip"'},
    )


_OfTake = tuple[takes.Take, str, list[takes.TakeChannel], list[prints.Print]]


async def _material(conn: Connection, session_id: UUID) -> list[_OfTake]:
    await sessions.get_session(conn, session_id)
    found = await takes.list_kept(conn, session_id)
    channels = await takes.channels_of(conn, [take.id for take in found])
    names = {part.id: part.name for part in await parts.list_parts(conn, session_id)}
    ready: dict[UUID, list[prints.Print]] = {}
    for print_ in await prints.list_prints(conn, session_id):
        if print_.state == "ready":
            ready.setdefault(print_.material_id, []).append(print_)
    return [(take, names[take.part_id], channels[take.id], ready.get(take.id, [])) for take in found]


def _ascii(name: str) -> str:
    return name.encode("ascii", "replace").decode().replace('"', "")
