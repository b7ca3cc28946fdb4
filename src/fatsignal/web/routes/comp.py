"""The comp of a part: looked at, and changed phrase by phrase."""

from typing import Annotated
from uuid import UUID, uuid4

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from fatsignal.acts.comp import edit
from fatsignal.acts.comp.compare import compare_versions
from fatsignal.acts.comp.propose import propose
from fatsignal.acts.comp.tidy import tidy
from fatsignal.acts.comp.try_out import try_take
from fatsignal.core.comp.comp import Comp
from fatsignal.core.material.channels import Wanted
from fatsignal.errors import InvalidSetting, NotFound
from fatsignal.store import comps, history, parts, sections
from fatsignal.web.context import Pool, SettingsDep, Transaction, WorkQueueDep
from fatsignal.web.judged_sections import judged_section
from fatsignal.web.presenters.comp import CompView, comp_of
from fatsignal.web.ranges import Range
from fatsignal.web.sounds import PlayingMaterials, StreamedSound, streamed

router = APIRouter(prefix="/api", tags=["comp"])


class Used(Range):
    take_id: UUID


class Asked(Used):
    dry: bool = False


class TriedView(BaseModel):
    """A take where it would be used, as loud as what sounds there now."""

    sound: StreamedSound
    from_frame: int = Field(description="It is heard from a beat before the range on.")
    to_frame: int
    gain_db: float
    looks: list[str] = Field(description="What may be heard of its joins.")


class Stretch(Range):
    dry: bool = False


class ComparedVersionView(BaseModel):
    """A version of the comp over a stretch; `gain_db` makes it as loud as the others there."""

    comp_id: UUID
    sound: StreamedSound
    loudness_lufs: float | None
    gain_db: float


class VersionName(BaseModel):
    name: str = Field(min_length=1, max_length=60)


class Proposed(BaseModel):
    """Which sections get a first comp; none named, all of the song."""

    section_ids: list[UUID] = Field(default=[], max_length=500)
    only_missing: bool = Field(default=False, description="Only holes are filled.")


class Chosen(BaseModel):
    comp_id: UUID


@router.get("/parts/{part_id}/comp")
async def look(part_id: UUID, conn: Transaction) -> CompView:
    """What sounds of a part, piece by piece, and what newer takes could do."""
    return await comp_of(conn, part_id)


@router.get("/parts/{part_id}/comp/try")
async def try_(
    part_id: UUID, asked: Annotated[Asked, Query()], conn: Transaction, settings: SettingsDep, request: Request
) -> TriedView:  # fmt: skip
    """Hear a take in a range before it is used there: from a beat before, running into what follows."""
    wanted = Wanted.heard(dry=asked.dry)
    found = await try_take(conn, part_id, asked.take_id, asked.span, settings.sessions_folder, wanted=wanted)
    playing: PlayingMaterials = request.app.state.playing
    playing.keep(found.sound)
    return TriedView(
        sound=streamed(found.sound.material, wanted), from_frame=found.played.from_frame,
        to_frame=found.played.to_frame, gain_db=found.gain_db, looks=list(found.looks),
    )  # fmt: skip


@router.post("/parts/{part_id}/comp/use")
async def use(part_id: UUID, wanted: Used, conn: Transaction, settings: SettingsDep) -> CompView:
    """Let a take sound in a range of the song."""
    await edit.use(conn, part_id, wanted.take_id, wanted.span, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.post("/parts/{part_id}/comp/first")
async def first(part_id: UUID, wanted: Proposed, pool: Pool, queue: WorkQueueDep, settings: SettingsDep) -> CompView:
    """A first comp by what was found in the takes: every piece says why. What a person chose stays as it is."""
    async with pool.connection() as conn:
        part = await parts.get_part(conn, part_id)
        known = [section.id for section in await sections.list_sections(conn, part.session_id)]
    unknown = [section_id for section_id in wanted.section_ids if section_id not in known]
    if unknown:
        raise NotFound("section", unknown[0])
    asked = [section_id for section_id in known if section_id in wanted.section_ids or not wanted.section_ids]
    judged = [await judged_section(pool, queue, part_id, section_id) for section_id in asked]
    async with pool.connection() as conn:
        await propose(conn, part_id, judged, settings.sessions_folder, only_missing=wanted.only_missing)
    async with pool.connection() as conn:
        return await comp_of(conn, part_id)


@router.post("/parts/{part_id}/comp/clear")
async def clear(part_id: UUID, wanted: Range, conn: Transaction, settings: SettingsDep) -> CompView:
    """Let nothing sound in a range of the song."""
    await edit.clear(conn, part_id, wanted.span, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.post("/parts/{part_id}/comp/follow")
async def follow(part_id: UUID, wanted: Range, conn: Transaction, settings: SettingsDep) -> CompView:
    """Give the sections of a range back to the takes."""
    await edit.follow_takes(conn, part_id, wanted.span, settings.sessions_folder)
    return await comp_of(conn, part_id)


@router.post("/parts/{part_id}/comp/tidy")
async def tidy_up(part_id: UUID, conn: Transaction, settings: SettingsDep, agreed: bool = False) -> CompView:
    """Put what no comp uses and what is not starred into the bin. It asks first (409), with counts and megabytes."""
    await tidy(conn, part_id, settings.sessions_folder, agreed=agreed)
    return await comp_of(conn, part_id)


@router.post("/parts/{part_id}/comp/versions", status_code=201)
async def copy(part_id: UUID, wanted: VersionName, conn: Transaction) -> CompView:
    """Go on with a copy of the comp under another name; what was before is kept."""
    part, new = await parts.get_part(conn, part_id), uuid4()
    name = wanted.name.strip()
    scope: history.Scope = {"comp": [new], "part": [part_id]}
    says = f"{part.name}: comp copied as {name}"
    async with history.act(conn, part.session_id, kind="copy comp", says=says, scope=scope):
        current = await comps.current_of_part(conn, part_id)
        await comps.add_comp(conn, new, part_id, name=name, comp=current.comp if current else Comp())
        await comps.set_current(conn, part_id, new)
    return await comp_of(conn, part_id)


@router.get("/parts/{part_id}/comp/compared")
async def compared(
    part_id: UUID, asked: Annotated[Stretch, Query()], conn: Transaction, settings: SettingsDep, request: Request
) -> list[ComparedVersionView]:  # fmt: skip
    """Every version over a stretch of the song, equally loud there."""
    wanted = Wanted.heard(dry=asked.dry)
    playing: PlayingMaterials = request.app.state.playing
    found = await compare_versions(conn, part_id, asked.span, settings.sessions_folder, wanted=wanted)
    for each in found:
        playing.keep(each.sound)
    return [
        ComparedVersionView(
            comp_id=each.version.id, sound=streamed(each.sound.material, wanted), loudness_lufs=each.loudness_lufs,
            gain_db=each.gain_db,
        )
        for each in found
    ]  # fmt: skip


@router.put("/parts/{part_id}/comp/current")
async def choose(part_id: UUID, wanted: Chosen, conn: Transaction) -> CompView:
    """Let another version sound."""
    part, comp = await parts.get_part(conn, part_id), await comps.get_comp(conn, wanted.comp_id)
    if comp.part_id != part_id:
        raise InvalidSetting(f"{comp.name} is a comp of another part: choose one of {part.name}")
    says = f"{part.name}: {comp.name} chosen"
    async with history.act(conn, part.session_id, kind="choose comp", says=says, scope={"part": [part_id]}):
        await comps.set_current(conn, part_id, comp.id)
    return await comp_of(conn, part_id)


@router.put("/comps/{comp_id}/name")
async def rename(comp_id: UUID, wanted: VersionName, conn: Transaction) -> CompView:
    """Another name."""
    comp = await comps.get_comp(conn, comp_id)
    part, name = await parts.get_part(conn, comp.part_id), wanted.name.strip()
    says = f"{part.name}: {comp.name} renamed to {name}"
    async with history.act(conn, part.session_id, kind="rename comp", says=says, scope={"comp": [comp_id]}):
        await comps.set_name(conn, comp_id, name)
    return await comp_of(conn, comp.part_id)


@router.delete("/comps/{comp_id}")
async def remove(comp_id: UUID, conn: Transaction) -> CompView:
    """Remove a version that does not sound; undo brings it back."""
    comp = await comps.get_comp(conn, comp_id)
    part = await parts.get_part(conn, comp.part_id)
    if comp.current:
        raise InvalidSetting(f"{comp.name} is what sounds: choose another version first")
    says = f"{part.name}: {comp.name} removed"
    async with history.act(conn, part.session_id, kind="remove comp", says=says, scope={"comp": [comp_id]}):
        await comps.remove_comp(conn, comp_id)
    return await comp_of(conn, comp.part_id)
