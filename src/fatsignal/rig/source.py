"""Where audio comes from: one small interface, several implementations."""

from dataclasses import dataclass
from typing import Protocol

from fatsignal.core.clip import Samples


@dataclass(frozen=True, slots=True)
class InputChannel:
    """One input that a source delivers: its kind decides colour, shape and what may be done to it."""

    name: str
    kind: str  # "di", "mic" or "sim"


class Source(Protocol):
    """A stream of time-locked blocks."""

    rate_hz: int
    channels: tuple[InputChannel, ...]

    def read_block(self) -> Samples | None:
        """The next block, shape (frames, channels), at the pace of the hardware; None when it has ended.

        A source that falls behind raises `RollRefused`: a hole in a take is never filled silently.
        """
        ...

    def close(self) -> None:
        """Let go of the device."""
        ...
