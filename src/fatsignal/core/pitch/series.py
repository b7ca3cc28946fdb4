"""The partials of one string in two spectra that lie a moment apart: found, fitted by a law, and what they explain.

All of it is compiled: a take has hundreds of notes, and each of them is a few hundred numbers looked at many times.

References
----------
.. [1] J. L. Flanagan, R. M. Golden, "Phase vocoder", Bell Syst. Tech. J. 45, 1966: frequency from the turning phase.
.. [2] H. Fletcher, "Normal vibration frequencies of a stiff piano string", JASA 36, 1964: f_n = n·f0·sqrt(1 + B·n²).
"""

import math

import numpy as np

from fatsignal.core.compiled import njit
from fatsignal.core.parabolic_peak import vertex

# What `read_series` says of two spectra.
NO_SERIES, NO_FUNDAMENTAL, SERIES = 0, 1, 2
# What spectra are padded to, in lengths of their window.
PADDING = 2
RUMBLE_HZ = 24.0
_MOST_PARTIALS = 10
_HIGHEST_PARTIAL_HZ = 2_600.0
_LEAST_EXPLAINED = 0.72
_WORST_RESIDUAL_CENTS = 6.0
_CLOSE_CENTS = 3.0
# How far a partial may be from Fletcher's law, as a share of its frequency and of n².
_LAW_ERROR = 1.5e-5
_WEAKEST_FUNDAMENTAL_DB = -38.0
_WEAKEST_PARTIAL_DB = -34.0


@njit(cache=True, nogil=True)
def read_series(first, second, hop_s, bin_hz, rate_hz, coarse_hz, lowest_hz, highest_hz):
    """Fit the partials of a string near `coarse_hz` to two spectra of the same string, `hop_s` apart.

    Returns what they are (`NO_SERIES`, `NO_FUNDAMENTAL` or `SERIES`), the first partial's frequency in Hz, the
    inharmonicity B and the number of partials that spoke.
    """
    magnitude = np.empty(len(first))
    for index in range(len(first)):
        magnitude[index] = math.sqrt(first[index].real ** 2 + first[index].imag ** 2)
        magnitude[index] += math.sqrt(second[index].real ** 2 + second[index].imag ** 2)
    n, frequency_hz, strength = _partials(first, second, magnitude, bin_hz, hop_s, coarse_hz, rate_hz)
    # What turns backwards, or hardly at all, between two windows is no partial of a string.
    if not len(n) or frequency_hz.min() <= bin_hz:
        return NO_SERIES, 0.0, 0.0, 0
    strongest = strength.max()
    # The first partial is missing: the series was taken too low, or it is none.
    if 20 * math.log10(strength[0] / strongest) < _WEAKEST_FUNDAMENTAL_DB:
        return NO_FUNDAMENTAL, 0.0, 0.0, 0
    # Around a peak its window's main lobe is noise-free only as far as the floor between the partials.
    floor = np.median(magnitude[: int(frequency_hz[-1] / bin_hz)]) + 1e-20
    used = strength > max(strongest * 10 ** (_WEAKEST_PARTIAL_DB / 20), 3 * floor)
    if not used.any():
        return NO_SERIES, 0.0, 0.0, 0
    n, strength, ratio = n[used], strength[used], frequency_hz[used] / n[used]
    start, bend, spread = _fit(n, ratio, strength, floor * bin_hz)
    first_hz = start + bend
    if spread > _WORST_RESIDUAL_CENTS or not lowest_hz <= first_hz <= highest_hz:
        return NO_SERIES, 0.0, 0.0, 0
    if _explained(first_hz, bend / start, magnitude, bin_hz) < _LEAST_EXPLAINED:
        return NO_SERIES, 0.0, 0.0, 0
    return SERIES, first_hz, 2 * bend / start, len(n)


@njit(cache=True, nogil=True)
def _partials(first, second, magnitude, bin_hz, hop_s, coarse_hz, rate_hz):
    """Numbers, frequencies and strengths of the partials that are found, by how far each turned in `hop_s`."""
    places = np.empty(_MOST_PARTIALS, dtype=np.int64)
    frequencies, strengths = np.empty(_MOST_PARTIALS), np.empty(_MOST_PARTIALS)
    count, expected_hz, strongest = 0, coarse_hz, 0.0
    for partial in range(1, _MOST_PARTIALS + 1):
        guess_hz = partial * expected_hz
        if guess_hz > min(0.42 * rate_hz, _HIGHEST_PARTIAL_HZ):
            break
        reach_hz = max(2 * bin_hz, min(0.28 * coarse_hz, 0.02 * guess_hz + 1.0))
        low, high = max(1, int((guess_hz - reach_hz) / bin_hz)), int((guess_hz + reach_hz) / bin_hz) + 1
        if high < low:
            break
        at = low + np.argmax(magnitude[low : high + 1])
        if not 1 <= at < len(magnitude) - 1:
            break
        peak_hz = (at + vertex(np.log(magnitude[at - 1 : at + 2] + 1e-20), 1)) * bin_hz
        turn = second[at] * first[at].conjugate()
        turned = math.atan2(turn.imag, turn.real) / (2 * math.pi)
        frequency_hz = (round(peak_hz * hop_s - turned) + turned) / hop_s
        places[count], frequencies[count], strengths[count] = partial, frequency_hz, magnitude[at]
        count += 1
        strongest = max(strongest, magnitude[at])
        if partial <= 3 and magnitude[at] > 0.1 * strongest:
            expected_hz = frequency_hz / partial
    return places[:count], frequencies[:count], strengths[:count]


@njit(cache=True, nogil=True)
def _fit(n, ratio, strength, floor_hz):
    """Fletcher's law through the partials, f/n = a + b·n², as a and b; and how far they lie from it, cents.

    A body's resonance pulls the partial that it meets away from the others: up to a third of them may be left out.
    """
    # A partial's frequency is as sure as it is strong, and tells the fundamental n times as sharply; but the higher
    # it lies, the farther a real string may be from the law that leads from it to the first.
    noise = floor_hz / (n * strength * ratio)
    law = _LAW_ERROR * n**2
    share = 1 / (noise**2 + law**2)
    kept = np.ones(len(n), dtype=np.bool_)
    start, bend, spread = _law(n, ratio, strength, share, kept)
    for _ in range(len(n) - max(3, math.ceil(2 * len(n) / 3))):
        if spread <= _CLOSE_CENTS:
            break
        spread, without = math.inf, 0
        for index in range(len(n)):
            if kept[index]:
                kept[index] = False
                found = _law(n, ratio, strength, share, kept)
                kept[index] = True
                if found[2] < spread:
                    start, bend, spread, without = found[0], found[1], found[2], index
        kept[without] = False
    return start, bend, spread


@njit(cache=True, nogil=True)
def _law(n, ratio, strength, share, kept):
    """The weighted line through the partials that are kept, by its deviations from the weighted means: these stay
    exact however close the ratios are.
    """
    count, total, middle, square_middle = 0, 0.0, 0.0, 0.0
    for index in range(len(n)):
        if kept[index]:
            count += 1
            total += share[index]
            middle += share[index] * ratio[index]
            square_middle += share[index] * n[index] ** 2
    middle, square_middle = middle / total, square_middle / total
    start, bend = middle, 0.0
    if count >= 3:
        over, under = 0.0, 0.0
        for index in range(len(n)):
            if kept[index]:
                apart = n[index] ** 2 - square_middle
                over += share[index] * apart * (ratio[index] - middle)
                under += share[index] * apart * apart
        bend = over / under
        start = middle - bend * square_middle
        if not 0 <= bend <= 2e-3 * start:
            start, bend = middle, 0.0
    off, weight = 0.0, 0.0
    for index in range(len(n)):
        if kept[index]:
            residual_cents = 1200 / math.log(2) * (ratio[index] / (start + bend * n[index] ** 2) - 1)
            off += residual_cents**2 * strength[index]
            weight += strength[index]
    return start, bend, math.sqrt(off / weight)


@njit(cache=True, nogil=True)
def _explained(first_hz, stretch, magnitude, bin_hz):
    """Share of the power above the rumble that lies on the series of one string."""
    size = len(magnitude)
    on_series = np.zeros(size, dtype=np.bool_)
    # Half a main lobe of the Hann window is two bins of the unpadded transform.
    reach = 2.2 * PADDING
    for n in range(1, int(size * bin_hz / first_hz) + 2):
        centre = n * first_hz * (1 + stretch * (n**2 - 1)) / bin_hz
        on_series[round(min(max(centre - reach, 0.0), size)) : round(min(max(centre + reach, 0.0), size))] = True
    explained, heard = 0.0, 0.0
    for index in range(int(RUMBLE_HZ / bin_hz) + 1, size):
        power = magnitude[index] ** 2
        heard += power
        if on_series[index]:
            explained += power
    return explained / max(heard, 1e-30)
