"""The pitch of one plucked string, to a fraction of a cent.

A coarse period comes from the autocorrelation, the exact frequency from the phases of the partials: between two
overlapping windows each partial turns by an angle that tells its frequency far finer than a bin is wide. The partials
of a stiff string are sharp, and by the same law they show the fundamental.

References
----------
.. [1] P. Boersma, "Accurate short-term analysis of the fundamental frequency …", IFA Proceedings 17, 1993: the
   autocorrelation of a windowed signal over that of the window.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.fft import next_fast_len

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.core.lowpass import decimated, windowed_sinc
from fatsignal.core.parabolic_peak import vertex
from fatsignal.core.pitch.series import NO_FUNDAMENTAL, PADDING, RUMBLE_HZ, SERIES, read_series
from fatsignal.errors import SignalError

LOWEST_HZ, HIGHEST_HZ = 26.0, 1_500.0
QUIETEST_DBFS = -72.0
# Analysis runs at about this rate: the partials that tell the pitch lie below 2.5 kHz.
ANALYSIS_RATE_HZ = 6_000
_CLEAREST_SHARE = 0.88
_LEAST_CLARITY = 0.72


@dataclass(frozen=True, slots=True)
class PitchReading:
    """`frequency_hz` is that of the first partial; `clarity` 0 to 1 says how periodic the sound is."""

    frequency_hz: float
    inharmonicity: float
    clarity: float
    partials: int
    level_dbfs: float


def read_pitch(signal: Samples, *, rate_hz: int) -> PitchReading | None:
    """Read the pitch of a single note.

    Parameters
    ----------
    signal : array, shape (frames,)
        0.12 to 0.5 s of a sounding string, without its first milliseconds; at least five periods.

    Returns
    -------
    PitchReading or None
        None for silence, noise, rumble, several strings at once, or a note outside 26 to 1500 Hz.
    """
    if signal.ndim != 1:
        raise SignalError(f"a pitch is read from one channel of shape (frames,), got {signal.shape}")
    level = rms_dbfs(signal)
    if level < QUIETEST_DBFS or signal.size < 0.05 * rate_hz:
        return None
    low_rate, lowered = lowered_rate(signal, rate_hz)
    lowered = lowered - lowered.mean()
    coarse = _coarse_hz(lowered, low_rate)
    if coarse is None:
        return None
    frequency_hz, clarity = coarse
    for octave in (1, 2):
        verdict, first_hz, inharmonicity, partials = _refine(lowered, low_rate, octave * frequency_hz)
        if verdict == SERIES:
            return PitchReading(first_hz, inharmonicity, clarity, partials, level)
        # Twice the period is a period too: what has only even partials sounds an octave higher.
        if verdict != NO_FUNDAMENTAL:
            return None
    return None


def lowered_rate(signal: Samples, rate_hz: int) -> tuple[float, Samples]:
    """The signal at about 6 kHz, and that rate exactly."""
    factor = max(1, rate_hz // ANALYSIS_RATE_HZ)
    if factor == 1:
        return float(rate_hz), signal
    taps = _decimating_taps(factor)
    return rate_hz / factor, decimated(signal, taps, factor, -(-len(signal) // factor), before=len(taps) // 2)


@lru_cache(maxsize=16)
def _decimating_taps(factor: int) -> Samples:
    """The filter that `scipy.signal.resample_poly` takes for a whole factor."""
    return windowed_sinc(1 / factor, np.kaiser(20 * factor + 1, 5.0))


def _coarse_hz(signal: Samples, rate_hz: float) -> tuple[float, float] | None:
    """Frequency to about half a percent, and how clear the period is."""
    size = signal.size
    window, window_lags = _window(size)
    padded = next_fast_len(2 * size, real=True)
    spectrum = np.fft.rfft(signal * window, padded)
    power = (np.square(spectrum.real) + np.square(spectrum.imag)) * _above_rumble(padded, rate_hz)
    lags = np.fft.irfft(power, padded)[:size]
    if lags[0] <= 0:
        return None
    # Beyond 0.6 of the length the window's own correlation is too small to divide by.
    longest = min(int(rate_hz / LOWEST_HZ) + 2, int(0.6 * size))
    shortest = max(2, int(rate_hz / HIGHEST_HZ))
    period, clarity = _clearest_period(lags, window_lags, shortest, longest)
    return (rate_hz / period, min(1.0, clarity)) if period else None


@njit(cache=True, nogil=True)
def _clearest_period(lags, window_lags, shortest, longest):
    """The shortest lag that is nearly as clear as the clearest, by a parabola, and how clear it is; 0 where none is."""
    clear = lags[: longest + 1] / lags[0] / window_lags[: longest + 1]
    clearest = 0.0
    for at in range(shortest, len(clear) - 1):
        if clear[at - 1] < clear[at] >= clear[at + 1]:
            clearest = max(clearest, clear[at])
    if clearest < _LEAST_CLARITY:
        return 0.0, 0.0
    # Multiples of a period are octaves below.
    for at in range(shortest, len(clear) - 1):
        if clear[at - 1] < clear[at] >= clear[at + 1] and clear[at] >= _CLEAREST_SHARE * clearest:
            return at + vertex(clear, at), clear[at]
    return 0.0, 0.0


def _refine(signal: Samples, rate_hz: float, coarse_hz: float) -> tuple[int, float, float, int]:
    """What `read_series` says of two overlapping windows of the signal."""
    length = int(0.62 * signal.size)
    hop = signal.size - length
    window, _ = _window(length)
    padded = next_fast_len(PADDING * length, real=True)
    first, second = np.fft.rfft(np.stack((signal[:length], signal[hop:])) * window, padded)
    verdict, first_hz, inharmonicity, partials = read_series(
        first, second, hop / rate_hz, rate_hz / padded, rate_hz, coarse_hz, LOWEST_HZ, HIGHEST_HZ
    )
    return verdict, first_hz, inharmonicity, partials


@lru_cache(maxsize=128)
def _above_rumble(padded: int, rate_hz: float) -> Samples:
    """What is left of the power at each bin when steps and handling noise are cut."""
    frequency_hz = np.fft.rfftfreq(padded, 1 / rate_hz)
    return np.asarray(1 / (1 + (RUMBLE_HZ / np.maximum(frequency_hz, 1e-3)) ** 8))


@lru_cache(maxsize=128)
def _window(size: int) -> tuple[Samples, Samples]:
    """A Hann window, and its autocorrelation over that at lag 0."""
    window = np.hanning(size + 2)[1:-1]
    padded = next_fast_len(2 * size, real=True)
    lags = np.fft.irfft(np.abs(np.fft.rfft(window, padded)) ** 2, padded)[:size]
    return window, np.maximum(lags / lags[0], 1e-9)
