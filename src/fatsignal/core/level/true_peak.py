"""True peak: the highest point of the wave between the samples."""

from functools import lru_cache

import numpy as np
from scipy.signal import firwin, upfirdn

from fatsignal.core.clip import Samples
from fatsignal.core.units import db_from_amplitude

_TAPS_PER_PHASE = 24
_CHUNK_FRAMES = 1 << 18


def true_peak_dbtp(signal: Samples, *, rate_hz: int) -> float:
    """Measure the true peak of `signal`, shape (frames,), in dBTP; ``-inf`` for silence.

    The wave is oversampled to at least 192 kHz, as Annex 2 of the recommendation asks for
    (4 times at 48 kHz), here 8 times up to 96 kHz, so that the reading is at most 0.17 dB low
    at half the rate's 0.45.

    References
    ----------
    .. [1] ITU-R BS.1770-5 (2023), Annex 2.
    """
    if signal.size == 0:
        return -np.inf
    factor = 8 if rate_hz <= 96_000 else 4
    taps = _interpolator(factor)
    overlap = _TAPS_PER_PHASE
    peak = float(np.max(np.abs(signal)))
    for start in range(0, signal.size, _CHUNK_FRAMES):
        # A chunk brings its neighbours along, so that no edge inside the signal rings.
        chunk = signal[max(0, start - overlap) : start + _CHUNK_FRAMES + overlap]
        peak = max(peak, float(np.max(np.abs(upfirdn(taps, chunk, up=factor)))))
    return db_from_amplitude(peak)


@lru_cache
def _interpolator(factor: int) -> Samples:
    """Linear-phase low-pass at half the base rate, gain `factor`, side lobes about −80 dB."""
    return np.asarray(factor * firwin(_TAPS_PER_PHASE * factor + 1, 0.98 / factor, window=("kaiser", 8.0)))
