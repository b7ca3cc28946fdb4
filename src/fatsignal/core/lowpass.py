"""Low-pass filters by a window, and lowering a rate with one.

The same filters as `scipy.signal.firwin` designs; loading that package takes longer than all else an engine needs to
begin with, and an engine that was lost has to be there again at once.

References
----------
.. [1] A. V. Oppenheim, R. W. Schafer, "Discrete-Time Signal Processing", 3rd ed., ch. 7.5: the window method.
"""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit


def windowed_sinc(cutoff: float, window: Samples) -> Samples:
    """A linear-phase low-pass with a gain of 1 at 0 Hz, as long as its window, shape (taps,).

    `cutoff` is that of the ideal filter, as a share of half the rate.
    """
    places = np.arange(len(window)) - (len(window) - 1) / 2
    taps = np.sinc(cutoff * places) * window
    return np.asarray(taps / taps.sum())


def decimated(signal: Samples, taps: Samples, factor: int, frames: int, *, before: int = 0) -> Samples:
    """Every `factor`-th output of a symmetrical filter, `frames` of them.

    The first is made of `len(taps)` samples from `before` samples ahead of `signal` on; what lies beyond its ends is
    silence.
    """
    out = np.empty(frames)
    _decimate(signal, taps, factor, before, out)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def _decimate(signal, taps, factor, before, out):
    for n in range(len(out)):
        start = n * factor - before
        total = 0.0
        if start >= 0 and start + len(taps) <= len(signal):
            around = signal[start : start + len(taps)]
            for k in range(len(taps)):
                total += taps[k] * around[k]
        else:
            for k in range(max(0, -start), min(len(taps), len(signal) - start)):
                total += taps[k] * signal[start + k]
        out[n] = total
