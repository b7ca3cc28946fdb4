"""Channels: what kinds there are, and which of several is meant.

A channel is known by its kind and its name, never by its position: two takes of a part may have different rigs.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol, TypeVar

# What a part records: the clean signal, a microphone, the printed tone.
RecordedKind = Literal["di", "mic", "sim"]
# Besides, "track" is what was not played here: a backing track, or what the computer played.
ChannelKind = Literal[RecordedKind, "track"]

# What a part is heard by: the miked amp where there is one, else what was heard while it was played, else the DI.
HEARD_FIRST: tuple[ChannelKind, ...] = ("mic", "sim", "di", "track")
# What is measured: the cleanest signal first.
MEASURED_FIRST: tuple[ChannelKind, ...] = ("di", "mic", "sim", "track")


@dataclass(frozen=True, order=True, slots=True)
class Channel:
    """One channel of a material."""

    kind: ChannelKind
    name: str


@dataclass(frozen=True, slots=True)
class Wanted:
    """A channel that is asked for: of the first of some kinds that there is, by its name where one is given."""

    kinds: tuple[ChannelKind, ...] = HEARD_FIRST
    name: str | None = None

    @classmethod
    def exactly(cls, channel: Channel) -> "Wanted":
        return cls((channel.kind,), channel.name)

    @classmethod
    def heard(cls, *, dry: bool) -> "Wanted":
        """What is listened to: the DI alone, or what comes first."""
        return cls(("di",)) if dry else cls()


# What goes through tones.
DRY = Wanted(("di",))


def sides(kind: ChannelKind, name: str, count: int) -> tuple[Channel, ...]:
    """The channels of a sound of one channel, or of a left and a right one."""
    if count == 1:
        return (Channel(kind, name),)
    return tuple(Channel(kind, f"{name} {side}") for side in ("left", "right"))


class HasKind(Protocol):
    @property
    def kind(self) -> str: ...
    @property
    def name(self) -> str: ...


Kind = TypeVar("Kind", bound=HasKind)


def first_of(channels: Iterable[Kind], kinds: Sequence[str]) -> Kind | None:
    """The first channel of the first kind that there is."""
    there = list(channels)
    return next((channel for kind in kinds for channel in there if channel.kind == kind), None)


def place_of_first(channels: Iterable[HasKind], kinds: Sequence[str]) -> int:
    """The place among the channels of the first of the first kind that there is; 0 where there is none."""
    there = list(channels)
    first = first_of(there, kinds)
    return there.index(first) if first is not None else 0


def find(channels: Iterable[Kind], wanted: Wanted) -> Kind | None:
    """The channel that is wanted; None where there is none of its kinds, or of its name."""
    there = list(channels)
    if wanted.name is not None:
        there = [channel for channel in there if channel.name == wanted.name]
    return first_of(there, wanted.kinds)
