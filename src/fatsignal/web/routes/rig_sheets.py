"""Rig sheets: freeze a rig with a name, look at it, compare two."""

from datetime import datetime
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.audio_interface import interface_now
from fatsignal.acts.freeze_rig import freeze_rig
from fatsignal.errors import InvalidSetting
from fatsignal.rig.frozen import FrozenCheck, FrozenRig
from fatsignal.rig.sheet import Difference, SheetEntry, differences
from fatsignal.store import parts, rig_sheets, sessions
from fatsignal.store.rig_sheets import RigSheet
from fatsignal.web.context import Transaction

router = APIRouter(prefix="/api", tags=["rig sheets"])


class NewSheet(BaseModel):
    name: str = Field(min_length=1, max_length=80)


class SheetName(BaseModel):
    id: UUID
    part_id: UUID
    part_name: str
    name: str
    made_at: datetime


class RigSheetView(SheetName):
    session_name: str
    artist: str
    entries: list[SheetEntry]
    checks: list[FrozenCheck]


class ComparedView(BaseModel):
    one: SheetName
    other: SheetName
    differences: list[Difference]


@router.post("/parts/{part_id}/rig-sheets", status_code=201)
async def freeze(part_id: UUID, new: NewSheet, conn: Transaction) -> RigSheetView:
    """Freeze a part's rig, the interface and the newest checks."""
    if not new.name.strip():
        raise InvalidSetting("a rig sheet needs a name: type what it is, as in chorus, ribbon close")
    part = await parts.get_part(conn, part_id)
    session = await sessions.get_session(conn, part.session_id)
    interface = await interface_now(conn)
    return _view(await freeze_rig(conn, session, part, interface=interface, name=new.name.strip()))


@router.get("/sessions/{session_id}/rig-sheets")
async def all_sheets(session_id: UUID, conn: Transaction) -> list[SheetName]:
    """The session's rig sheets, the newest first."""
    return [_name(sheet) for sheet in await rig_sheets.list_sheets(conn, session_id)]


@router.get("/rig-sheets/compare")
async def compare(one: UUID, other: UUID, conn: Transaction) -> ComparedView:
    """What was done differently: only the lines that are not the same."""
    first, second = await rig_sheets.get_sheet(conn, one), await rig_sheets.get_sheet(conn, other)
    found = differences(_frozen(first).entries, _frozen(second).entries)
    return ComparedView(one=_name(first), other=_name(second), differences=found)


@router.get("/rig-sheets/{sheet_id}")
async def one_sheet(sheet_id: UUID, conn: Transaction) -> RigSheetView:
    """A frozen rig sheet."""
    return _view(await rig_sheets.get_sheet(conn, sheet_id))


def _frozen(sheet: RigSheet) -> FrozenRig:
    return FrozenRig.model_validate(sheet.frozen)


def _name(sheet: RigSheet) -> SheetName:
    return SheetName(
        id=sheet.id, part_id=sheet.part_id, part_name=_frozen(sheet).part, name=sheet.name, made_at=sheet.made_at
    )


def _view(sheet: RigSheet) -> RigSheetView:
    frozen = _frozen(sheet)
    return RigSheetView(
        **_name(sheet).model_dump(), session_name=frozen.session.name, artist=frozen.session.artist,
        entries=frozen.entries, checks=frozen.checks,
    )  # fmt: skip
