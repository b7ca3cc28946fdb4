"""Gathering: takes that lie in other parts become takes of one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from fatsignal.core.material.channels import Channel
from fatsignal.core.takes.gathering import check_names, match_channels
from fatsignal.errors import InvalidSetting
from fatsignal.store import comps, history, parts, takes
from fatsignal.store.database import Connection
from fatsignal.store.numbers import highest_number
from fatsignal.store.parts import Part
from fatsignal.store.takes import Take, TakeChannel


@dataclass(frozen=True, slots=True)
class FromPart:
    """A part whose takes could be gathered, and what its channels probably are called there."""

    part: Part
    takes: list[Take]
    names: dict[Channel, Channel]


@dataclass(frozen=True, slots=True)
class Gathering:
    """The channels that a part has, and the parts whose takes it could have."""

    channels: list[Channel]
    parts: list[FromPart]


async def look_around(conn: Connection, part_id: UUID) -> Gathering:
    """What a part could gather."""
    part = await parts.get_part(conn, part_id)
    of_session = await takes.list_kept(conn, part.session_id)
    channels = await takes.channels_of(conn, [take.id for take in of_session])
    ours = _channels([take for take in of_session if take.part_id == part_id], channels)
    found = []
    for other in await parts.list_parts(conn, part.session_id):
        theirs = [take for take in of_session if take.part_id == other.id]
        if other.id != part_id and theirs:
            found.append(FromPart(other, theirs, match_channels(_channels(theirs, channels), ours)))
    return Gathering(ours, found)


async def gather(
    conn: Connection, part_id: UUID, take_ids: Sequence[UUID], names: Mapping[UUID, Mapping[Channel, Channel]]
) -> list[Take]:
    """Let takes be those of a part, numbered after its own in the order in which they were; undo brings them back.

    Parameters
    ----------
    names
        By the part that they come from: what a channel is called from now on. One that is not named keeps its name.

    Raises
    ------
    InvalidSetting
        If none was named, one is no take of another part of the session, a comp of its part uses it, or two channels
        would be one.
    """
    part = await parts.get_part(conn, part_id)
    found = await takes.takes_by_id(conn, take_ids)
    of_session = {each.id: each for each in await parts.list_parts(conn, part.session_id)}
    places = {each: place for place, each in enumerate(of_session)}
    wanted = sorted(found.values(), key=lambda take: (places.get(take.part_id, len(places)), take.number))
    if not wanted:
        raise InvalidSetting("no take was chosen: choose those that belong to this part")
    for take in wanted:
        if take.part_id not in of_session or take.part_id == part_id:
            raise InvalidSetting(f"take {take.number} is of no other part of this song: choose those of other parts")
        if take.binned_at is not None:
            raise InvalidSetting(f"take {take.number} is in the bin: bring it back first")
    await _check_unused(conn, wanted, of_session)
    channels = await takes.channels_of(conn, [take.id for take in wanted])
    many = f"take {wanted[0].number}" if len(wanted) == 1 else f"{len(wanted)} takes"
    says = f"{part.name}: {many} gathered from {', '.join(dict.fromkeys(of_session[t.part_id].name for t in wanted))}"
    async with history.act(
        conn, part.session_id, kind="gather", says=says, scope={"take": [take.id for take in wanted]}
    ):
        number = await highest_number(conn, "take", part_id)
        for place, take in enumerate(wanted, start=1):
            named = names.get(take.part_id, {})
            called = {channel.key: named.get(channel.key, channel.key) for channel in channels[take.id]}
            check_names(called)
            await takes.move_take(
                conn, take.id, part_id, number + place,
                [(channel.position, called[channel.key]) for channel in channels[take.id]],
            )  # fmt: skip
    moved = await takes.takes_by_id(conn, [take.id for take in wanted])
    return [moved[take.id] for take in wanted]


async def _check_unused(conn: Connection, wanted: Sequence[Take], of_session: Mapping[UUID, Part]) -> None:
    for part_id in dict.fromkeys(take.part_id for take in wanted):
        for version in await comps.list_comps(conn, part_id):
            for take in wanted:
                if take.part_id == part_id and take.id in version.comp.take_ids:
                    raise InvalidSetting(
                        f"{version.name} of {of_session[part_id].name} uses take {take.number}: give those bars back to"
                        " the takes there first"
                    )


def _channels(of: Sequence[Take], channels: Mapping[UUID, Sequence[TakeChannel]]) -> list[Channel]:
    """All channels of some takes, each once."""
    return list(dict.fromkeys(channel.key for take in of for channel in channels[take.id]))
