"""What the mains puts on a signal: hum, a round tone with a few harmonics; and buzz, the edge of a dimmer."""

import cmath
import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

# Shares of the first harmonics of transformer hum; common practice, no source.
_HUM_SHARES = ((1, 1.0), (2, 0.35), (3, 0.5), (5, 0.2))
_BUZZ_HARMONICS = range(6, 60, 2)
# Less than −137 dBu is nothing: every converter's own noise lies far above it.
_NOTHING_V = 1.1e-7


class MainsRunner:
    """Running hum and buzz; `hum_v` and `buzz_v` are their RMS, each taken as a whole."""

    def __init__(self, mains_hz: float, *, hum_v: float, buzz_v: float, rate_hz: int) -> None:
        lines = {0: 0j}
        if hum_v > _NOTHING_V:
            total = math.sqrt(sum(share**2 for _, share in _HUM_SHARES) / 2)
            lines |= {number: cmath.rect(share * hum_v / total, 0.4 * number) for number, share in _HUM_SHARES}
        if buzz_v > _NOTHING_V:
            each = buzz_v / math.sqrt(len(_BUZZ_HARMONICS) / 2)
            lines |= {number: complex(each) for number in _BUZZ_HARMONICS if number * mains_hz < 0.45 * rate_hz}
        # Place n: amplitude and phase of the n-th harmonic.
        self._harmonics = np.array([lines.get(number, 0j) for number in range(max(lines) + 1)])
        self._omega = 2 * math.pi * mains_hz / rate_hz
        self._frame = 0

    def process(self, frames: int) -> Samples:
        """The next `frames` samples, shape (frames,)."""
        out = np.zeros(frames)
        if len(self._harmonics) > 1:
            _add_harmonics(self._harmonics, self._omega, self._frame, out)
        self._frame += frames
        return out


@njit(cache=True, nogil=True)
def _add_harmonics(harmonics, omega, frame, out):
    """out[i] = Im Σ_n h[n] e^(jn·omega·(frame + i)), as a polynomial of e^(j·omega·(frame + i)) by Horner's rule."""
    for place in range(len(out)):
        turn = (frame + place) * omega
        base = complex(math.cos(turn), math.sin(turn))
        total = 0j
        for number in range(len(harmonics) - 1, -1, -1):
            total = total * base + harmonics[number]
        out[place] = total.imag
