"""How two sounds differ in tone, their loudness aside."""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.signal import welch

from fatsignal.core.clip import Samples
from fatsignal.errors import SignalError

# IEC 61260-1 base-ten thirds of an octave from 80 Hz to 8 kHz: where tone is judged.
BAND_NUMBERS = range(19, 40)


def third_octave_levels_db(signal: Samples, *, rate_hz: int) -> NDArray[np.float64]:
    """Levels of the bands of `BAND_NUMBERS`, dB, of `signal`, shape (frames,)."""
    if len(signal) < rate_hz // 4:
        raise SignalError("a quarter of a second is the least whose spectrum says anything")
    segment = min(len(signal), 1 << round(math.log2(rate_hz / 3)))
    frequency_hz, density = welch(signal, rate_hz, nperseg=segment)
    levels = []
    for number in BAND_NUMBERS:
        centre_hz = 10 ** (number / 10)
        inside = (frequency_hz >= centre_hz * 10**-0.05) & (frequency_hz < centre_hz * 10**0.05)
        levels.append(10 * math.log10(float(density[inside].sum()) + 1e-20))
    return np.array(levels)


def spectrum_difference_db(signal: Samples, reference: Samples, *, rate_hz: int) -> float:
    """How far two sounds are apart in tone: mean distance of their third-octave levels, their loudness aside."""
    difference = third_octave_levels_db(signal, rate_hz=rate_hz) - third_octave_levels_db(reference, rate_hz=rate_hz)
    return float(np.mean(np.abs(difference - np.median(difference))))
