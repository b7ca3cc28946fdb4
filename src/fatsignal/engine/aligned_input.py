"""From the blocks of a source to the frames of a roll: the record offset left out, lost frames kept as silence."""

from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.rig.source import Source


@dataclass(frozen=True, slots=True)
class Arrived:
    """Frames of the roll from `at_frame` on; the first `lost_frames` are silence that stands for what was lost."""

    samples: Samples
    at_frame: int
    lost_frames: int


class AlignedInput:
    """Reads a source so that frame n of the roll is always the n-th: what arrives in the offset belongs before it."""

    def __init__(self, source: Source, *, offset_frames: int) -> None:
        self._source = source
        self._offset = offset_frames
        self._expected = 0  # by the source's own clock

    def read(self) -> Arrived | None:
        """The next frames; None when the source has ended. May be empty while the offset passes."""
        block = self._source.read_block()
        if block is None:
            return None
        lost = max(0, block.at_frame - self._expected)
        samples = block.samples
        if lost:
            samples = np.concatenate((np.zeros((lost, samples.shape[1])), samples))
        start = self._expected - self._offset
        self._expected += len(samples)
        if start < 0:
            lost = max(0, lost + start)
            samples = samples[min(len(samples), -start) :]
            start = 0
        return Arrived(samples, start, lost)
