"""A limiter: nothing is louder than a ceiling.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 4.2: peak measurement with instant attack and
   exponential release; the gain is the ceiling over the peak.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import LEVEL_DBV, Channels, Curve, Operating, Step, ToneBlock, loudest_of, setting


class Limiter(ToneBlock):
    """Nothing is louder than its ceiling; it answers at once and adds no delay."""

    TITLE: ClassVar[str] = "Limiter"
    GROUP: ClassVar[str] = "dynamics"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["limiter"] = "limiter"
    ceiling_dbv: float = setting(0, label="ceiling", unit="dBV", low=-60, high=30, step=0.5)
    release_ms: float = setting(80, label="release", unit="ms", low=5, high=2000, step=1, even="ratios")

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [LimiterStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        return Curve("level", LEVEL_DBV, np.minimum(LEVEL_DBV, self.ceiling_dbv))


class LimiterStep:
    """A running limiter for one channel or two, with one gain for both."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Limiter, rate_hz: int, channels: int) -> None:
        self.channels_out = channels
        self._ceiling_v = 10 ** (values.ceiling_dbv / 20)
        self._release = math.exp(-1000 / (values.release_ms * rate_hz))
        self._state = np.zeros(1)

    def process(self, channels: Channels) -> Channels:
        """Limit the channels; state goes on."""
        gains = _run_limiter(loudest_of(channels), self._state, self._ceiling_v, self._release)
        return tuple(np.asarray(gains * signal) for signal in channels)


@kernel
def _run_limiter(level, state, ceiling, release):
    """e = max(|x|, release e);  g = min(1, ceiling / e)."""
    gains = np.empty_like(level)
    envelope = state[0]
    for n in range(level.size):
        envelope = max(level[n], release * envelope)
        gains[n] = 1.0 if envelope <= ceiling else ceiling / envelope
    state[0] = envelope
    return gains
