"""What a round trip does to a recording: all of it arrives late by as much."""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.rig.source import Block, Source


class DelayedSource:
    """A source whose every frame comes `frames` later; silence comes first, and nothing is lost at the end."""

    def __init__(self, source: Source, *, frames: int) -> None:
        self.rate_hz = source.rate_hz
        self.channels = source.channels
        self.outputs = source.outputs
        self._source = source
        self._frames = frames
        self._begun = frames == 0

    def read_block(self) -> Block | None:
        """The silence, then the source's blocks."""
        if not self._begun:
            self._begun = True
            return Block(np.zeros((self._frames, len(self.channels))), 0)
        block = self._source.read_block()
        return None if block is None else Block(block.samples, block.at_frame + self._frames)

    def play(self, samples: Samples, at_frame: int) -> None:
        """What is played goes out by the source's own clock."""
        self._source.play(samples, at_frame - self._frames)

    def close(self) -> None:
        """Let go of the source."""
        self._source.close()
