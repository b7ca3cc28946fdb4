"""What the mains puts on a signal: hum, a round tone with a few harmonics; and buzz, the edge of a dimmer."""

import math

import numpy as np

from fatsignal.core.clip import Samples

# Shares of the first harmonics of transformer hum; common practice, no source.
_HUM_SHARES = ((1, 1.0), (2, 0.35), (3, 0.5), (5, 0.2))
_BUZZ_HARMONICS = range(6, 60, 2)
# Less than −137 dBu is nothing: every converter's own noise lies far above it.
_NOTHING_V = 1.1e-7


class MainsRunner:
    """Running hum and buzz; `hum_v` and `buzz_v` are their RMS, each taken as a whole."""

    def __init__(self, mains_hz: float, *, hum_v: float, buzz_v: float, rate_hz: int) -> None:
        total = math.sqrt(sum(share**2 for _, share in _HUM_SHARES) / 2)
        self._lines = [
            (number, share * hum_v / total, 0.4 * number) for number, share in _HUM_SHARES if hum_v > _NOTHING_V
        ]
        if buzz_v > _NOTHING_V:
            each = buzz_v / math.sqrt(len(_BUZZ_HARMONICS) / 2)
            self._lines += [(number, each, 0.0) for number in _BUZZ_HARMONICS if number * mains_hz < 0.45 * rate_hz]
        self._omega = 2 * math.pi * mains_hz / rate_hz
        self._frame = 0

    def process(self, frames: int) -> Samples:
        """The next `frames` samples, shape (frames,)."""
        at = (self._frame + np.arange(frames)) * self._omega
        self._frame += frames
        out = np.zeros(frames)
        for number, amplitude, phase in self._lines:
            out += amplitude * np.sin(number * at + phase)
        return out
