"""Whether a crossfade is heard: as a click, harder to predict than the two takes are around it, or as a dip.

What rings can be predicted from the samples before it, a click cannot. The residual of a linear prediction that was
fitted to both takes around a border is compared with its own 99.9th percentile there, and with what either take has at
that very place by itself.

References
----------
.. [1] S. Godsill, P. Rayner, "Digital Audio Restoration", Springer 1998, chapter 5: clicks as outliers of the residual
   of an autoregressive model.
"""

import numpy as np
from scipy.linalg import solve_toeplitz
from scipy.signal import lfilter

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.core.material.reader import crossfaded

_ORDER, _USUAL_PERCENT = 24, 99.9
# What is no louder than that in the residual is the same, but for rounding.
_MORE = 1.001
# A fade that is softer than both its sides by that is a hole: 1 dB (common practice, no source).
_DIP = 10**-0.1
# Around a wished border so much says what is usual there: as far as one may be moved, with its fade, and more. So much
# after a fade still belongs to it.
AROUND_S, _AFTER_S = 0.4, 0.002


class FadeWatch:
    """One channel of two takes around a border, shape (frames,) each."""

    def __init__(self, before: Samples, after: Samples, *, rate_hz: int) -> None:
        self._sides = (np.asarray(before), np.asarray(after))
        self._after = round(_AFTER_S * rate_hz)
        self._inverse = _inverse_filter(np.concatenate(self._sides))
        self._residuals = tuple(np.abs(lfilter(self._inverse, 1, side)) for side in self._sides)
        self._usual = float(np.percentile(np.concatenate(self._residuals), _USUAL_PERCENT))

    def hears(self, frame: int, frames: int, alike: float) -> bool:
        """Whether a crossfade of so many frames around `frame`, its sides as `alike` as that, clicks or dips."""
        reach = frames // 2 + self._after
        first, last = max(0, frame - reach), min(len(self._sides[0]), frame + reach)
        if first >= last:
            return False
        # What is filtered needs what comes before it.
        start = max(0, first - _ORDER)
        share = np.interp(np.arange(start, last), [frame - frames // 2, frame + frames // 2], [0.0, 1.0])
        before, after = (side[start:last] for side in self._sides)
        joined = crossfaded(before, after, share, alike)
        heard = np.abs(lfilter(self._inverse, 1, joined))[first - start :]
        own = max(float(each[first:last].max(initial=0.0)) for each in self._residuals)
        if float(heard.max(initial=0.0)) > _MORE * max(self._usual, own):
            return True
        fade = slice(max(0, frame - frames // 2), frame + frames // 2)
        inside = joined[fade.start - start : fade.stop - start]
        return float(np.mean(inside**2)) < _DIP * min(float(np.mean(side[fade] ** 2)) for side in self._sides)


def _inverse_filter(signal: Real) -> Real:
    """Of a linear prediction by the autocorrelation of a signal; of silence it lets everything through."""
    lags = np.array([signal[: len(signal) - lag] @ signal[lag:] for lag in range(_ORDER + 1)])
    if not lags[0] > 0:
        return np.array([1.0])
    lags[0] *= 1 + 1e-9
    return np.concatenate(([1.0], -solve_toeplitz(lags[:-1], lags[1:])))
