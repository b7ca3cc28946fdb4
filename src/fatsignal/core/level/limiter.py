"""A limiter for phones: it answers at once, so that it adds no delay to what a player hears of the own playing.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 4.2: peak measurement with instant attack and
   exponential release; the gain is the threshold over the peak.
"""

import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.units import amplitude_from_db

_RELEASE_S = 0.08


class Limiter:
    """Keeps both ears under a ceiling, with one gain for both, so that nothing wanders between them.

    Blocks of any size give the same samples.
    """

    def __init__(self, ceiling_dbfs: float, *, rate_hz: int) -> None:
        self.ceiling_dbfs = ceiling_dbfs
        self._release = math.exp(-1 / (_RELEASE_S * rate_hz))
        self._state = np.zeros(1)

    def process(self, block: Samples) -> Samples:
        """Limit a block of shape (frames, 2)."""
        out = np.empty_like(block)
        _limit(block, out, amplitude_from_db(self.ceiling_dbfs), self._release, self._state)
        return out


@njit(cache=True, nogil=True)
def _limit(block, out, ceiling, release, state):
    """e[n] = max(|x[n]|, release · e[n-1]);  y[n] = x[n] · min(1, ceiling / e[n])."""
    envelope = state[0]
    for n in range(block.shape[0]):
        peak = max(abs(block[n, 0]), abs(block[n, 1]))
        envelope = max(peak, release * envelope)
        gain = 1.0 if envelope <= ceiling else ceiling / envelope
        out[n, 0] = gain * block[n, 0]
        out[n, 1] = gain * block[n, 1]
    state[0] = envelope
