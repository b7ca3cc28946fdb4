"""A compressor: what is louder than a threshold is turned down, and what it took is given back.

References
----------
.. [1] D. Giannoulis, M. Massberg, J. D. Reiss, "Digital dynamic range compressor design: a tutorial and analysis",
   J. Audio Eng. Soc. 60(6), 2012: gain computer with a soft knee (eq. 4), smooth decoupled peak detector (eq. 17) on
   the gain in decibels, feed-forward.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import LEVEL_DBV, Channels, Curve, Operating, Step, ToneBlock, loudest_of, setting

# An average over this time, told as the crest of a sine of that power.
_AVERAGE_S = 0.01


class Compressor(ToneBlock):
    """Turns down what is loud, and lifts what is left."""

    TITLE: ClassVar[str] = "Compressor"
    GROUP: ClassVar[str] = "dynamics"
    LINKS_CHANNELS: ClassVar[bool] = True

    kind: Literal["compressor"] = "compressor"
    threshold_dbv: float = setting(-24, label="threshold", unit="dBV", low=-80, high=20, step=0.5)
    ratio: float = setting(4, unit=": 1", low=1, high=20, step=0.1, even="ratios")
    knee_db: float = setting(6, label="knee", unit="dB", low=0, high=30, step=0.5)
    attack_ms: float = setting(8, label="attack", unit="ms", low=0.1, high=200, step=0.1, even="ratios")
    release_ms: float = setting(120, label="release", unit="ms", low=10, high=3000, step=1, even="ratios")
    detector: Literal["peak", "average"] = setting("peak", label="follows the")
    makeup_db: float = setting(6, label="make-up", unit="dB", low=0, high=40, step=0.1)
    mix: float = setting(100, label="compressed share", unit="%", low=0, high=100, step=1)

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [CompressorStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        squeezed = LEVEL_DBV - reduction_db(LEVEL_DBV, self.threshold_dbv, self.ratio, self.knee_db) + self.makeup_db
        share = self.mix / 100
        together = share * 10 ** (squeezed / 20) + (1 - share) * 10 ** (LEVEL_DBV / 20)
        return Curve("level", LEVEL_DBV, 20 * np.log10(together))


def reduction_db(level_db: Samples, threshold_db: float, ratio: float, knee_db: float) -> Samples:
    """By how much a level is turned down once all has settled: x − y of the paper's eq. 4."""
    over = level_db - threshold_db
    slope = 1 - 1 / ratio
    inside = slope * (over + knee_db / 2) ** 2 / (2 * max(knee_db, 1e-9))
    return np.asarray(np.where(2 * over < -knee_db, 0.0, np.where(2 * np.abs(over) <= knee_db, inside, slope * over)))


class CompressorStep:
    """A running compressor for one channel or two: both get the gain that the louder needs."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Compressor, rate_hz: int, channels: int) -> None:
        self.channels_out = channels
        self._settings = (
            values.threshold_dbv, 1 - 1 / values.ratio, values.knee_db, math.exp(-1000 / (values.attack_ms * rate_hz)),
            math.exp(-1000 / (values.release_ms * rate_hz)),
            math.exp(-1 / (_AVERAGE_S * rate_hz)) if values.detector == "average" else 0.0, values.makeup_db,
        )  # fmt: skip
        self._share = values.mix / 100
        # Mean square, the detector's first and second smoothing.
        self._state = np.zeros(3)

    def process(self, channels: Channels) -> Channels:
        """Compress the channels by the louder of them; state goes on."""
        gains = self._share * _run_compressor(loudest_of(channels), self._state, *self._settings) + (1 - self._share)
        return tuple(np.asarray(gains * signal) for signal in channels)


@kernel
def _run_compressor(level, state, threshold, slope, knee, attack, release, average, makeup):
    """x = 20 log|v|;  c = x - y(x);  c1 = max(c, r c1 + (1-r) c);  c2 = a c2 + (1-a) c1;  g = 10^((m - c2)/20)."""
    gains = np.empty_like(level)
    square, first, second = state[0], state[1], state[2]
    for n in range(level.size):
        if average > 0.0:
            square = average * square + (1.0 - average) * level[n] * level[n]
            power = 2.0 * square
        else:
            power = level[n] * level[n]
        over = 10.0 * math.log10(power + 1e-20) - threshold
        if 2.0 * over < -knee:
            wanted = 0.0
        elif 2.0 * over <= knee:
            wanted = slope * (over + 0.5 * knee) * (over + 0.5 * knee) / (2.0 * max(knee, 1e-9))
        else:
            wanted = slope * over
        first = max(wanted, release * first + (1.0 - release) * wanted)
        second = attack * second + (1.0 - attack) * first
        gains[n] = 10.0 ** ((makeup - second) / 20.0)
    state[0], state[1], state[2] = square, first, second
    return gains
