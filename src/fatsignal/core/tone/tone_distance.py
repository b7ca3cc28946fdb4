"""How two sounds differ in tone, their loudness aside."""

import math

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from scipy.fft import rfft
from scipy.signal import get_window

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples
from fatsignal.errors import SignalError

# IEC 61260-1 base-ten thirds of an octave from 80 Hz to 8 kHz: where tone is judged.
BAND_NUMBERS = range(19, 40)
# Their centres, as they are told.
BANDS_HZ = tuple(round(10 ** (number / 10), 1) for number in BAND_NUMBERS)
_SEGMENTS_AT_ONCE = 64


def third_octave_levels_db(signal: Samples, *, rate_hz: int) -> Real:
    """Levels of the bands of `BAND_NUMBERS`, dB, of `signal`, shape (frames,)."""
    meter = SpectrumMeter(rate_hz=rate_hz, frames=len(signal))
    meter.push(signal)
    return meter.third_octave_levels_db()


class SpectrumMeter:
    """The mean spectrum of a sound that comes block by block; `frames` is how long it is.

    References
    ----------
    .. [1] P. D. Welch, "The use of fast Fourier transform for the estimation of power spectra", IEEE Trans. Audio and
       Electroacoustics 15(2), 1967: half overlapping segments, here under a Hann window, each without its mean.
    """

    def __init__(self, *, rate_hz: int, frames: int) -> None:
        if frames < rate_hz // 4:
            raise SignalError("a quarter of a second is the least whose spectrum says anything")
        self._rate_hz = rate_hz
        self._segment = min(frames, 1 << round(math.log2(rate_hz / 3)))
        self._window = get_window("hann", self._segment)
        self._power = np.zeros(self._segment // 2 + 1)
        self._segments = 0
        self._rest = np.zeros(0)

    def push(self, block: Samples) -> None:
        """The next frames, shape (frames,)."""
        signal = np.concatenate((self._rest, block))
        hop = self._segment - self._segment // 2
        count = (len(signal) - self._segment) // hop + 1 if len(signal) >= self._segment else 0
        for first in range(0, count, _SEGMENTS_AT_ONCE):
            last = min(count, first + _SEGMENTS_AT_ONCE)
            rows = sliding_window_view(signal, self._segment)[first * hop : (last - 1) * hop + 1 : hop]
            spectrum = rfft((rows - rows.mean(axis=1, keepdims=True)) * self._window, axis=1)
            self._power += (spectrum.real**2 + spectrum.imag**2).sum(axis=0)
        self._segments += count
        self._rest = signal[count * hop :].copy()

    def third_octave_levels_db(self) -> Real:
        """Levels of the bands of `BAND_NUMBERS`, dB."""
        density = self._power / (max(1, self._segments) * self._rate_hz * np.square(self._window).sum())
        density[1 : (self._segment + 1) // 2] *= 2
        frequency_hz = np.fft.rfftfreq(self._segment, 1 / self._rate_hz)
        levels = []
        for number in BAND_NUMBERS:
            centre_hz = 10 ** (number / 10)
            inside = (frequency_hz >= centre_hz * 10**-0.05) & (frequency_hz < centre_hz * 10**0.05)
            levels.append(10 * math.log10(float(density[inside].sum()) + 1e-20))
        return np.array(levels)


def spectrum_difference_db(signal: Samples, reference: Samples, *, rate_hz: int) -> float:
    """How far two sounds are apart in tone: mean distance of their third-octave levels, their loudness aside."""
    return levels_apart_db(
        third_octave_levels_db(signal, rate_hz=rate_hz), third_octave_levels_db(reference, rate_hz=rate_hz)
    )


def levels_apart_db(levels_db: Real, reference_db: Real) -> float:
    """Mean distance of third-octave levels, their loudness aside."""
    return float(np.mean(np.abs(levels_beside_db(levels_db, reference_db))))


def levels_beside_db(levels_db: Real, reference_db: Real) -> Real:
    """Third-octave levels against others, dB, their loudness aside: the middle one of the differences is 0."""
    difference = levels_db - reference_db
    return np.asarray(difference - np.median(difference))
