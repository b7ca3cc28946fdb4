"""Where audio comes from and where it is played: one interface, several implementations."""

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import accumulate, pairwise
from typing import Protocol

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import RecordedKind

MOST_CHANNELS = 64


@dataclass(frozen=True, slots=True)
class InputChannel:
    """One input that a source delivers: its kind decides colour, shape and what may be done to it."""

    name: str
    kind: RecordedKind


def side_by_side(widths: Iterable[int]) -> list[slice]:
    """Columns of several who deliver together: those of the first, then of the second, and so on."""
    ends = list(accumulate(widths, initial=0))
    return [slice(start, end) for start, end in pairwise(ends)]


@dataclass(frozen=True, slots=True)
class Block:
    """What arrived together: any number of frames, shape (frames, channels).

    `at_frame` is the source's own clock at the first of them, from 0. Where it is ahead of the frames delivered until
    then, the frames between are lost: the device overran.
    """

    samples: Samples
    at_frame: int


class Source(Protocol):
    """A device: a stream of time-locked blocks of 1 to 64 channels, and outputs that are of the same clock.

    Frame n that goes out and frame n that comes in belong together. Pings, headphones and sends to an amp in the room
    are what is played on it.
    """

    rate_hz: int
    channels: tuple[InputChannel, ...]
    outputs: int

    def read_block(self) -> Block | None:
        """The next block at the pace of the hardware; None when it has ended.

        Raises
        ------
        RollRefused
            If the device is gone: the sentence says what to look at.
        """
        ...

    def play(self, samples: Samples, at_frame: int) -> None:
        """Let samples, shape (frames, outputs), sound from `at_frame` of the device's clock on, with what was given for
        those frames before. What would have had to sound already is left out.
        """
        ...

    def close(self) -> None:
        """Let go of the device; a read that waits in another thread comes back."""
        ...


class InputsOnly:
    """The outputs of a device that has none."""

    outputs = 0

    def play(self, samples: Samples, at_frame: int) -> None:
        """As `Source.play`: there is nothing on which it could sound."""
