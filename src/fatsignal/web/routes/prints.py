"""Prints: asked for one by one or in batches, stopped, planned; and which of them a part is heard by."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from fatsignal.acts.find_material import find_material
from fatsignal.acts.finished_prints import finished_prints
from fatsignal.acts.print_batch import MOST_CELLS, Cell, ask_for_batch, comps_to_print, printing, stop_all
from fatsignal.acts.printed_sound import printed_parts
from fatsignal.core.material.channels import Wanted
from fatsignal.core.tone.print_settings import PrintSettings
from fatsignal.errors import FileRefused, NotFound
from fatsignal.store import history, parts, print_plans, prints, sessions, tones, works
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.presenters.prints import PrintView, prints_of
from fatsignal.web.sounds import StreamedSound, streamed

router = APIRouter(prefix="/api", tags=["prints"])


class CellAsked(BaseModel):
    material_id: UUID
    tone_revision_id: UUID


class NewPrint(CellAsked):
    settings: PrintSettings | None = None


class NewBatch(BaseModel):
    cells: list[CellAsked] = Field(min_length=1, max_length=MOST_CELLS)
    settings: PrintSettings = PrintSettings()


class BatchView(BaseModel):
    """What came of asking: how many are made now, how many were there already, and what could not be asked for."""

    asked: int
    there: int
    refused: list[str]


class PrintingView(BaseModel, from_attributes=True):
    """What is left of all batches."""

    waiting: int
    rendering: int
    left_s: float


class SourceView(BaseModel):
    """A comp, as a dry source."""

    material_id: UUID
    part_id: UUID
    name: str
    seconds: float
    material_fingerprint: str


class PrintedSoundView(BaseModel):
    """A print by itself; a stereo one has a right side, and `sound` is its left."""

    sound: StreamedSound
    right: StreamedSound | None


class PrintPlan(BaseModel):
    """What the next batch is to be: columns, marked cells, settings."""

    tones: list[UUID] = Field(max_length=64)
    marked: list[CellAsked] = Field(max_length=MOST_CELLS)
    settings: PrintSettings


_NO_PLAN: dict[str, object] = {"tones": [], "marked": [], "settings": {}}


class HeardThrough(BaseModel):
    tone_id: UUID | None = Field(description="Null: by its miked amp.")


class HeardThroughView(BaseModel):
    """By which tone's prints a part is heard in the song, and how many of its takes have none of it yet."""

    part_id: UUID
    tone_id: UUID
    tone_name: str
    missing: int


@router.get("/sessions/{session_id}/prints")
async def all_prints(session_id: UUID, conn: Transaction, settings: SettingsDep) -> list[PrintView]:
    """Every print of the session, as far as it is."""
    return await prints_of(session_id, conn, settings.sessions_folder)


@router.get("/sessions/{session_id}/print-sources")
async def comp_sources(session_id: UUID, conn: Transaction, settings: SettingsDep) -> list[SourceView]:
    """The comps that can go through tones; every take with a DI can."""
    return [
        SourceView(
            material_id=comp.id, part_id=comp.part_id, name=comp.name, seconds=seconds, material_fingerprint=fingerprint
        )
        for comp, seconds, fingerprint in await comps_to_print(conn, session_id, settings.sessions_folder)
    ]


@router.post("/prints", status_code=202)
async def ask_for_print(new: NewPrint, pool: Pool, settings: SettingsDep, queue: WorkQueueDep) -> PrintView:
    """Ask for the DI of a take or comp through a tone; a print that is there already is simply returned."""
    async with pool.connection() as conn:
        await find_material(conn, new.material_id, settings.sessions_folder)
        cell = Cell(new.material_id, new.tone_revision_id)
        asked = await ask_for_batch(conn, [cell], new.settings or PrintSettings(), settings.sessions_folder)
        if asked.refused:
            raise FileRefused(asked.refused[0])
    # The worker must see the print when it is woken.
    for work in asked.to_wake:
        await queue.wake(work)
    return PrintView.model_validate(asked.prints[0])


@router.post("/print-batches", status_code=202)
async def ask_for_prints(new: NewBatch, pool: Pool, settings: SettingsDep, queue: WorkQueueDep) -> BatchView:
    """Ask for many at once; what has no DI is left out and told, the rest is made."""
    async with pool.connection() as conn:
        cells = [Cell(each.material_id, each.tone_revision_id) for each in new.cells]
        asked = await ask_for_batch(conn, cells, new.settings, settings.sessions_folder)
    for work in asked.to_wake:
        await queue.wake(work)
    return BatchView(
        asked=len(asked.to_wake), there=len(asked.prints) - len(asked.to_wake), refused=sorted(set(asked.refused))
    )


@router.get("/sessions/{session_id}/printing")
async def what_is_left(session_id: UUID, conn: Transaction) -> PrintingView:
    """The queue of prints."""
    return PrintingView.model_validate(printing(await prints.list_prints(conn, session_id)))


@router.delete("/sessions/{session_id}/printing", status_code=204)
async def stop_printing(session_id: UUID, conn: Transaction) -> Response:
    """Stop all that wait or are rendered; finished prints stay."""
    await sessions.get_session(conn, session_id)
    await stop_all(conn, session_id)
    return Response(status_code=204)


@router.delete("/prints/{print_id}/rendering", status_code=204)
async def stop_print(print_id: UUID, conn: Transaction) -> Response:
    """Stop a rendering; nothing of it is left. A finished print stays."""
    await works.stop(conn, (await prints.get_print(conn, print_id)).work_id)
    return Response(status_code=204)


@router.get("/prints/{print_id}/sound")
async def sound_of_print(print_id: UUID, conn: Transaction, settings: SettingsDep) -> PrintedSoundView:
    """Where a finished print lies in the song, to be played by itself."""
    found = await finished_prints(conn, [await prints.get_print(conn, print_id)], settings.sessions_folder)
    if not found:
        raise NotFound("finished print", print_id)
    material = found[0].sound.material
    left, *right = (streamed(material, Wanted.exactly(channel)) for channel in material.channels)
    return PrintedSoundView(sound=left, right=right[0] if right else None)


@router.get("/sessions/{session_id}/print-plan")
async def plan(session_id: UUID, conn: Transaction) -> PrintPlan:
    """What is marked for the next batch."""
    await sessions.get_session(conn, session_id)
    return PrintPlan.model_validate(await print_plans.get_plan(conn, session_id) or _NO_PLAN)


@router.put("/sessions/{session_id}/print-plan")
async def set_plan(session_id: UUID, new: PrintPlan, conn: Transaction) -> PrintPlan:
    """Mark and unmark."""
    await sessions.get_session(conn, session_id)
    await print_plans.set_plan(conn, session_id, new.model_dump(mode="json"))
    return new


@router.get("/sessions/{session_id}/heard-through")
async def heard_through(session_id: UUID, conn: Transaction, settings: SettingsDep) -> list[HeardThroughView]:
    """The parts that are heard by prints, in the song and in what is handed over."""
    session = await sessions.get_session(conn, session_id)
    found = await printed_parts(conn, session.id, settings.sessions_folder)
    return [
        HeardThroughView(part_id=part_id, tone_id=each.tone_id, tone_name=each.tone_name, missing=each.missing)
        for part_id, each in found.items()
    ]


@router.put("/parts/{part_id}/heard-through", status_code=204)
async def set_heard_through(part_id: UUID, new: HeardThrough, conn: Transaction) -> Response:
    """Hear a part by its prints through a tone instead of its miked amp, or by that again."""
    part = await parts.get_part(conn, part_id)
    told = "its miked amp" if new.tone_id is None else await tones.name_of(conn, new.tone_id)
    async with history.act(
        conn, part.session_id, kind="heard through", says=f"{part.name} heard by {told}", scope={"part": [part_id]}
    ):
        await parts.set_heard_through(conn, part_id, new.tone_id)
    return Response(status_code=204)
