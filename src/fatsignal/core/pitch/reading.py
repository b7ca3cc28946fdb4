"""The pitch of one plucked string, to a fraction of a cent.

A coarse period comes from the autocorrelation, the exact frequency from the phases of the partials: between two
overlapping windows each partial turns by an angle that tells its frequency far finer than a bin is wide. The partials
of a stiff string are sharp, and by the same law they show the fundamental.

References
----------
.. [1] P. Boersma, "Accurate short-term analysis of the fundamental frequency …", IFA Proceedings 17, 1993: the
   autocorrelation of a windowed signal over that of the window.
.. [2] J. L. Flanagan, R. M. Golden, "Phase vocoder", Bell Syst. Tech. J. 45, 1966: frequency from the turning phase.
.. [3] H. Fletcher, "Normal vibration frequencies of a stiff piano string", JASA 36, 1964: f_n = n·f0·sqrt(1 + B·n²).
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.fft import next_fast_len

from fatsignal.core.clip import Samples
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.core.lowpass import decimated, windowed_sinc
from fatsignal.errors import SignalError

LOWEST_HZ, HIGHEST_HZ = 26.0, 1_500.0
QUIETEST_DBFS = -72.0
# Analysis runs at about this rate: the partials that tell the pitch lie below 2.5 kHz.
ANALYSIS_RATE_HZ = 6_000
_MOST_PARTIALS = 10
_CLEAREST_SHARE = 0.88
_LEAST_CLARITY = 0.72
_LEAST_EXPLAINED = 0.72
_WORST_RESIDUAL_CENTS = 6.0
_CLOSE_CENTS = 3.0
# How far a partial may be from Fletcher's law, as a share of its frequency and of n².
_LAW_ERROR = 1.5e-5
_WEAKEST_FUNDAMENTAL_DB = -38.0
_WEAKEST_PARTIAL_DB = -34.0
_RUMBLE_HZ = 24.0
_PADDING = 2


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
        try:
            refined = _refine(lowered, low_rate, octave * frequency_hz)
        except _NoFundamental:
            # Twice the period is a period too: what has only even partials sounds an octave higher.
            continue
        return None if refined is None else PitchReading(refined[0], refined[1], clarity, refined[2], level)
    return None


class _NoFundamental(Exception):
    """The first partial is missing: the series was taken too low, or it is none."""


def lowered_rate(signal: Samples, rate_hz: int) -> tuple[float, Samples]:
    """The signal at about 6 kHz, and that rate exactly."""
    factor = max(1, rate_hz // ANALYSIS_RATE_HZ)
    if factor == 1:
        return float(rate_hz), signal
    taps = _decimating_taps(factor)
    reach = len(taps) // 2
    # What lies beyond the ends is silence.
    padded = np.zeros(len(signal) + 2 * reach + factor)
    padded[reach : reach + len(signal)] = signal
    return rate_hz / factor, decimated(padded, taps, factor, -(-len(signal) // factor))


@lru_cache(maxsize=16)
def _decimating_taps(factor: int) -> Samples:
    """The filter that `scipy.signal.resample_poly` takes for a whole factor."""
    return windowed_sinc(1 / factor, np.kaiser(20 * factor + 1, 5.0))


@njit(cache=True, nogil=True)
def _vertex(values, at):
    """Place of a peak between samples, by the parabola through three of them."""
    left, middle, right = values[at - 1], values[at], values[at + 1]
    bend = left - 2 * middle + right
    return 0.5 * (left - right) / bend if bend < 0 else 0.0


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
    clear = lags[: longest + 1] / lags[0] / window_lags[: longest + 1]
    inner = clear[1:-1]
    peaks = 1 + np.flatnonzero((inner > clear[:-2]) & (inner >= clear[2:]))
    peaks = peaks[peaks >= shortest]
    if not len(peaks):
        return None
    best = float(clear[peaks].max())
    if best < _LEAST_CLARITY:
        return None
    # The shortest lag that is nearly as clear: its multiples are octaves below.
    at = int(peaks[np.flatnonzero(clear[peaks] >= _CLEAREST_SHARE * best)[0]])
    return rate_hz / (at + _vertex(clear, at)), min(1.0, float(clear[at]))


def _refine(signal: Samples, rate_hz: float, coarse_hz: float) -> tuple[float, float, int] | None:
    """First partial's frequency, inharmonicity and number of partials used; None where they are no single series."""
    length = int(0.62 * signal.size)
    hop = signal.size - length
    window, _ = _window(length)
    padded = next_fast_len(_PADDING * length, real=True)
    first, second = np.fft.rfft(np.stack((signal[:length], signal[hop:])) * window, padded)
    magnitude = np.abs(first) + np.abs(second)
    bin_hz = rate_hz / padded
    places, frequencies, strengths = _partials(first, second, magnitude, bin_hz, hop / rate_hz, coarse_hz, rate_hz)
    return _fit(places, frequencies, strengths, magnitude, bin_hz) if len(places) else None


@njit(cache=True, nogil=True)
def _partials(first, second, magnitude, bin_hz, hop_s, coarse_hz, rate_hz):
    """Numbers, frequencies and strengths of the partials that are found, by how far each turned in `hop_s`."""
    places = np.empty(_MOST_PARTIALS, dtype=np.int64)
    frequencies, strengths = np.empty(_MOST_PARTIALS), np.empty(_MOST_PARTIALS)
    count, expected_hz, strongest = 0, coarse_hz, 0.0
    for partial in range(1, _MOST_PARTIALS + 1):
        guess_hz = partial * expected_hz
        if guess_hz > min(0.42 * rate_hz, 2_600.0):
            break
        reach_hz = max(2 * bin_hz, min(0.28 * coarse_hz, 0.02 * guess_hz + 1.0))
        low, high = max(1, int((guess_hz - reach_hz) / bin_hz)), int((guess_hz + reach_hz) / bin_hz) + 1
        if high < low:
            break
        at = low + np.argmax(magnitude[low : high + 1])
        if not 1 <= at < len(magnitude) - 1:
            break
        peak_hz = (at + _vertex(np.log(magnitude[at - 1 : at + 2] + 1e-20), 1)) * bin_hz
        turn = second[at] * first[at].conjugate()
        turned = math.atan2(turn.imag, turn.real) / (2 * math.pi)
        frequency_hz = (round(peak_hz * hop_s - turned) + turned) / hop_s
        places[count], frequencies[count], strengths[count] = partial, frequency_hz, magnitude[at]
        count += 1
        strongest = max(strongest, magnitude[at])
        if partial <= 3 and magnitude[at] > 0.1 * strongest:
            expected_hz = frequency_hz / partial
    return places[:count], frequencies[:count], strengths[:count]


def _fit(
    n: NDArray[np.int64], frequency_hz: Samples, strength: Samples, magnitude: Samples, bin_hz: float
) -> tuple[float, float, int] | None:
    if not np.all(frequency_hz > bin_hz):
        # What turns backwards, or hardly at all, between two windows is no partial of a string.
        return None
    if 20 * math.log10(strength[0] / strength.max()) < _WEAKEST_FUNDAMENTAL_DB:
        raise _NoFundamental
    # Around a peak its window's main lobe is noise-free only as far as the floor between the partials.
    floor = float(np.median(magnitude[: int(frequency_hz[-1] / bin_hz)])) + 1e-20
    used = strength > max(strength.max() * 10 ** (_WEAKEST_PARTIAL_DB / 20), 3 * floor)
    if not used.any():
        return None
    n, ratio, strength = n[used], frequency_hz[used] / n[used], strength[used]
    # A partial's frequency is as sure as it is strong, and tells the fundamental n times as sharply; but the higher
    # it lies, the farther a real string may be from the law that leads from it to the first.
    noise = floor / (n * strength) * bin_hz / ratio
    law = _LAW_ERROR * n**2
    weight = 1 / np.hypot(noise, law)
    kept = np.ones(len(n), dtype=bool)
    slope, spread = _law(n, ratio, strength, weight)
    # A body's resonance pulls the partial that it meets away from the others: up to a third of them may be left out.
    while spread > _CLOSE_CENTS and kept.sum() > max(3, math.ceil(2 * len(n) / 3)):
        tries = []
        for index in np.flatnonzero(kept):
            without = kept.copy()
            without[index] = False
            tries.append((*_law(n[without], ratio[without], strength[without], weight[without]), without))
        slope, spread, kept = min(tries, key=lambda found: found[1])
    first_hz = float(slope[0] + slope[1])
    if spread > _WORST_RESIDUAL_CENTS or not LOWEST_HZ <= first_hz <= HIGHEST_HZ:
        return None
    if _explained(first_hz, float(slope[1] / slope[0]), magnitude, bin_hz) < _LEAST_EXPLAINED:
        return None
    return first_hz, float(2 * slope[1] / slope[0]), len(n)


@njit(cache=True, nogil=True)
def _law(n, ratio, strength, weight):
    """Fletcher's law through the partials, f/n = a + b·n², as (a, b); and how far they lie from it, cents."""
    share = np.square(weight)
    share /= share.sum()
    square = np.square(n.astype(np.float64))
    middle = (ratio * share).sum()
    start, bend = middle, 0.0
    if len(n) >= 3:
        # The weighted line, by its deviations from the weighted means: these stay exact however close the ratios are.
        square_middle = (square * share).sum()
        apart = square - square_middle
        bend = (share * apart * (ratio - middle)).sum() / (share * apart * apart).sum()
        start = middle - bend * square_middle
        if not 0 <= bend <= 2e-3 * start:
            start, bend = middle, 0.0
    residual_cents = 1200 / math.log(2) * (ratio / (start + bend * square) - 1)
    return (start, bend), math.sqrt((np.square(residual_cents) * strength).sum() / strength.sum())


def _explained(first_hz: float, stretch: float, magnitude: Samples, bin_hz: float) -> float:
    """Share of the power above the rumble that lies on the series of one string."""
    power = magnitude**2
    frequency_hz = np.arange(len(power)) * bin_hz
    heard = frequency_hz > _RUMBLE_HZ
    highest = int(len(power) * bin_hz / first_hz) + 2
    n = np.arange(1, highest)
    centres = n * first_hz * (1 + stretch * (n**2 - 1))
    # Half a main lobe of the Hann window is two bins of the unpadded transform.
    reach = 2.2 * _PADDING
    edges = np.rint(np.clip(np.concatenate((centres / bin_hz - reach, centres / bin_hz + reach)), 0, len(power)))
    steps = np.bincount(edges[: len(n)].astype(int), minlength=len(power) + 1).astype(np.int64)
    steps -= np.bincount(edges[len(n) :].astype(int), minlength=len(power) + 1)
    on_series = np.cumsum(steps)[: len(power)] > 0
    return float(power[on_series & heard].sum()) / max(float(power[heard].sum()), 1e-30)


@lru_cache(maxsize=128)
def _above_rumble(padded: int, rate_hz: float) -> Samples:
    """What is left of the power at each bin when steps and handling noise are cut."""
    frequency_hz = np.fft.rfftfreq(padded, 1 / rate_hz)
    return np.asarray(1 / (1 + (_RUMBLE_HZ / np.maximum(frequency_hz, 1e-3)) ** 8))


@lru_cache(maxsize=128)
def _window(size: int) -> tuple[Samples, Samples]:
    """A Hann window, and its autocorrelation over that at lag 0."""
    window = np.hanning(size + 2)[1:-1]
    padded = next_fast_len(2 * size, real=True)
    lags = np.fft.irfft(np.abs(np.fft.rfft(window, padded)) ** 2, padded)[:size]
    return window, np.maximum(lags / lags[0], 1e-9)
