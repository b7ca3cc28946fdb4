"""A sound of one channel that is read stretch by stretch: of a long one, only what is looked at lies in memory."""

from typing import Protocol

import numpy as np

from fatsignal.core.clip import Clip, Samples


class MonoSound(Protocol):
    """`frames` at `rate_hz`; where it has several channels, their mean is read."""

    @property
    def rate_hz(self) -> int: ...

    @property
    def frames(self) -> int: ...

    def read(self, from_frame: int, frames: int) -> Samples:
        """Samples of shape (frames,); silence before its beginning and after its end."""
        ...


class MonoInMemory:
    """Samples of shape (frames,) that are there already."""

    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self._samples, self.rate_hz, self.frames = samples, rate_hz, len(samples)

    @classmethod
    def of(cls, clip: Clip) -> "MonoInMemory":
        """The mean of a clip's channels."""
        return cls(np.ascontiguousarray(clip.samples.mean(axis=1)), clip.rate_hz)

    def read(self, from_frame: int, frames: int) -> Samples:
        if 0 <= from_frame <= self.frames - frames:
            return self._samples[from_frame : from_frame + frames]
        out = np.zeros(frames)
        start, stop = max(0, from_frame), min(self.frames, from_frame + frames)
        if start < stop:
            out[start - from_frame : stop - from_frame] = self._samples[start:stop]
        return out
