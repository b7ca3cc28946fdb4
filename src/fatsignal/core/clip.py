"""Clip: samples that belong together, with their rate.

All channels of a take are one clip, so that nothing can cut or move one of them alone.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.errors import SignalError

Samples = NDArray[np.float64]

LOWEST_RATE_HZ = 8_000
HIGHEST_RATE_HZ = 384_000


def in_one(sound: Samples) -> Samples:
    """The middle of a sound's channels, shape (frames,); one of shape (frames,) is itself."""
    return sound if sound.ndim == 1 else np.asarray(sound.mean(axis=1))


@dataclass(frozen=True, slots=True)
class Clip:
    """Time-locked channels: `samples` of shape (frames, channels), full scale ±1.0."""

    samples: Samples
    rate_hz: int

    def __post_init__(self) -> None:
        if self.samples.ndim != 2:
            raise SignalError(f"a clip needs samples of shape (frames, channels), got {self.samples.shape}")
        check_rate(self.rate_hz)

    @classmethod
    def mono(cls, samples: Samples, rate_hz: int) -> "Clip":
        """A clip of one channel from samples of shape (frames,)."""
        return cls(np.asarray(samples, dtype=np.float64).reshape(-1, 1), rate_hz)

    @classmethod
    def locked(cls, channels: Sequence[Samples], rate_hz: int) -> "Clip":
        """A clip from several mono arrays of equal length, locked from here on."""
        lengths = {len(channel) for channel in channels}
        if len(lengths) != 1:
            raise SignalError(f"channels that belong together have one length, got {sorted(lengths)}")
        return cls(np.column_stack(channels).astype(np.float64), rate_hz)

    @property
    def frames(self) -> int:
        return int(self.samples.shape[0])

    @property
    def channels(self) -> int:
        return int(self.samples.shape[1])

    @property
    def duration_s(self) -> float:
        return self.frames / self.rate_hz

    def channel(self, index: int) -> Samples:
        """One channel, shape (frames,), contiguous."""
        return np.ascontiguousarray(self.samples[:, index])


def check_rate(rate_hz: int) -> None:
    """Refuse rates that no sound file of the job has."""
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise SignalError(f"a sample rate of {rate_hz} Hz is outside {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz")


def check_finite(samples: Samples) -> None:
    """Refuse NaN and infinite samples, saying how many and where the first one is."""
    finite = np.isfinite(samples)
    if finite.all():
        return
    bad = np.argwhere(~finite)
    raise SignalError(
        f"{len(bad)} of {samples.size} samples are not finite numbers, the first at frame {int(bad[0][0])}"
    )
