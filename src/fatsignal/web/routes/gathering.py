"""Takes of other parts that become takes of one."""

from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fatsignal.acts.gather import gather, look_around
from fatsignal.core.material.channels import Channel, RecordedKind
from fatsignal.web.context import Transaction

router = APIRouter(prefix="/api/parts/{part_id}/gather", tags=["takes"])


class ChannelView(BaseModel):
    kind: RecordedKind
    name: str = Field(min_length=1, max_length=60)


class ChannelMatch(BaseModel):
    """A channel of another part, and what it is called in this one."""

    channel: ChannelView
    to: ChannelView


class TakeToGather(BaseModel):
    id: UUID
    number: int


class PartToGather(BaseModel):
    """Another part: its takes, and what its channels probably are here."""

    part_id: UUID
    part_name: str
    takes: list[TakeToGather]
    channels: list[ChannelMatch]


class GatheringView(BaseModel):
    channels: list[ChannelView] = Field(description="Of the part that gathers.")
    parts: list[PartToGather]


class PartMatch(BaseModel):
    part_id: UUID
    channels: list[ChannelMatch] = Field(max_length=64)


class NewGathering(BaseModel):
    take_ids: list[UUID] = Field(min_length=1, max_length=2000)
    parts: list[PartMatch] = Field(default=[], max_length=64)


class Gathered(BaseModel):
    numbers: list[int] = Field(description="Of the takes as they are now.")


@router.get("")
async def what_could_be_gathered(part_id: UUID, conn: Transaction) -> GatheringView:
    """The takes of other parts, and how their channels match those of this one."""
    found = await look_around(conn, part_id)
    return GatheringView(
        channels=[_view(channel) for channel in found.channels],
        parts=[
            PartToGather(
                part_id=each.part.id, part_name=each.part.name,
                takes=[TakeToGather(id=take.id, number=take.number) for take in each.takes],
                channels=[ChannelMatch(channel=_view(channel), to=_view(to)) for channel, to in each.names.items()],
            )
            for each in found.parts
        ],
    )  # fmt: skip


@router.post("")
async def gather_takes(part_id: UUID, wanted: NewGathering, conn: Transaction) -> Gathered:
    """Make takes of other parts takes of this one; undo gives them back."""
    names = {
        each.part_id: {_channel(match.channel): _channel(match.to) for match in each.channels} for each in wanted.parts
    }
    return Gathered(numbers=[take.number for take in await gather(conn, part_id, wanted.take_ids, names)])


def _view(channel: Channel) -> ChannelView:
    assert channel.kind != "track", "a part played it"
    return ChannelView(kind=channel.kind, name=channel.name)


def _channel(view: ChannelView) -> Channel:
    return Channel(view.kind, view.name.strip())
