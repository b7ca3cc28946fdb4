"""What a round trip does to a recording: all of it arrives late by as much."""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.rig.source import Source


class Late:
    """A source whose every channel comes `frames` later; silence comes first, and nothing is lost at the end."""

    def __init__(self, source: Source, *, frames: int) -> None:
        self.rate_hz = source.rate_hz
        self.channels = source.channels
        self._source = source
        self._waiting = np.zeros((frames, len(source.channels)))

    def read_block(self) -> Samples | None:
        """The next block; after the source's end, what still waits."""
        block = self._source.read_block()
        if block is None:
            left, self._waiting = self._waiting, self._waiting[:0]
            return left if len(left) else None
        waiting = np.concatenate((self._waiting, block))
        self._waiting = waiting[len(block) :]
        return waiting[: len(block)]

    def close(self) -> None:
        """Let go of the source."""
        self._source.close()
