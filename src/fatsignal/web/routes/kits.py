"""Kits: save a part's rig under a name, and find it again."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from fatsignal.errors import InvalidSetting
from fatsignal.rig.setup import RigSetup
from fatsignal.store import kits, parts
from fatsignal.store.kits import Kit
from fatsignal.web.context import Transaction

router = APIRouter(prefix="/api/kits", tags=["kits"])


class KitView(BaseModel):
    id: UUID
    name: str
    instrument: str
    use: str
    words: list[str]
    channels: list[str]


class NewKit(BaseModel):
    part_id: UUID
    name: str = Field(min_length=1, max_length=60)
    use: str = Field(default="", max_length=60, description='What it is for: "rhythm", "writing".')
    words: list[Annotated[str, Field(min_length=1, max_length=30)]] = Field(default_factory=list, max_length=12)


@router.get("")
async def find(
    conn: Transaction,
    instrument: str | None = None,
    words: Annotated[str, Query(max_length=200, description="Words, all of which must be found.")] = "",
) -> list[KitView]:
    """Kits by instrument, use and words."""
    return [_view(kit) for kit in await kits.find_kits(conn, instrument=instrument, words=words.split())]


@router.post("", status_code=201)
async def save(new: NewKit, conn: Transaction) -> KitView:
    """Keep a part's rig, and how it is heard, as a kit."""
    if not new.name.strip():
        raise InvalidSetting("a kit needs a name: type what it is for")
    part = await parts.get_part(conn, new.part_id)
    rig = RigSetup.model_validate(part.rig)
    kit = await kits.add_kit(
        conn, name=new.name.strip(), instrument=rig.instrument, use=new.use.strip(),
        words=[word.strip() for word in new.words if word.strip()], rig=rig.model_dump(mode="json"),
        monitoring=part.monitoring,
    )  # fmt: skip
    return _view(kit)


@router.delete("/{kit_id}", status_code=204)
async def remove(kit_id: UUID, conn: Transaction) -> Response:
    """Forget a kit; parts that began from it keep their rig."""
    await kits.get_kit(conn, kit_id)
    await kits.remove_kit(conn, kit_id)
    return Response(status_code=204)


def _view(kit: Kit) -> KitView:
    channels = [name for name, _ in RigSetup.model_validate(kit.rig).inputs]
    return KitView(id=kit.id, name=kit.name, instrument=kit.instrument, use=kit.use, words=kit.words, channels=channels)
