"""Two paths to one sum: where it is hollow, where it is full, and by how much.

References
----------
.. [1] |1 + g·e^(−jωτ)|: notches where ωτ is an odd multiple of π, 1 − g deep; peaks where it is an even one, 1 + g
   high. D. M. Howard, J. Angus, Acoustics and Psychoacoustics, 5th ed., ch. 1.
"""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Real
from fatsignal.core.units import amplitude_from_db
from fatsignal.errors import InvalidSetting

HIGHEST_HZ = 20_000.0
# Deeper than that nobody hears, and no two levels are alike to more.
DEEPEST_DB = 120.0
_LONGEST_MS = 1_000.0


@dataclass(frozen=True, slots=True)
class Comb:
    """A comb up to `HIGHEST_HZ`, against one microphone alone; `notch_depth_db` counts down, positive."""

    notches_hz: list[float]
    peaks_hz: list[float]
    notch_depth_db: float
    peak_db: float


def comb(delay_ms: float, level_db: float = 0.0, *, polarity: int = 1) -> Comb:
    """Predict the sum of a sound and its copy, `delay_ms` later and `level_db` against it.

    Turned over, notches and peaks change places.

    Raises
    ------
    InvalidSetting
        If the delay is no number from 0 to 1000 ms, or the level none from −120 to 120 dB.
    """
    if not 0 <= delay_ms <= _LONGEST_MS:
        raise InvalidSetting(f"a delay of {delay_ms:g} ms combs nothing: give one from 0 to {_LONGEST_MS:g} ms")
    if not -DEEPEST_DB <= level_db <= DEEPEST_DB:
        raise InvalidSetting(f"a level of {level_db:g} dB is none to compare with: give one from −120 to 120 dB")
    gain = amplitude_from_db(level_db)
    depth_db = -20 * math.log10(max(abs(1 - gain), amplitude_from_db(-DEEPEST_DB)))
    peak_db = 20 * math.log10(1 + gain)
    odd = _multiples(delay_ms, first=0.5)
    even = _multiples(delay_ms, first=1.0)
    notches, peaks = (odd, even) if polarity > 0 else (even, odd)
    return Comb(notches, peaks, depth_db, peak_db)


def _multiples(delay_ms: float, *, first: float) -> list[float]:
    if delay_ms == 0:
        return []
    spaced_hz = 1000.0 / delay_ms
    count = math.floor(HIGHEST_HZ / spaced_hz - first) + 1
    return [spaced_hz * (first + number) for number in range(max(0, count))]


def comb_db(frequency_hz: Real, delay_ms: float, level_db: float, *, polarity: int = 1) -> Real:
    """The comb's level over frequency against the first sound alone, shape of `frequency_hz`."""
    copy = polarity * amplitude_from_db(level_db) * np.exp(-2j * np.pi * frequency_hz * delay_ms / 1000)
    return np.asarray(20 * np.log10(np.maximum(np.abs(1 + copy), amplitude_from_db(-DEEPEST_DB))))
