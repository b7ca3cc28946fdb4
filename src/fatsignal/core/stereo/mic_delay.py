"""The delay between two microphones on one source, to some hundredths of a sample, and their polarity.

The phase of their cross spectrum is a straight line over frequency, with the noise that the coherence tells. So the
line is fitted with each frequency's weight by maximum likelihood, C/(1−C). Capsules of different kinds, and a
reflection that is weaker than the direct sound, bend the line; they are of minimum phase, which follows from the
ratio of the spectra and is taken off where that is not flat.

References
----------
.. [1] C. H. Knapp, G. C. Carter, "The generalized correlation method for estimation of time delay", IEEE Trans.
   Acoust. Speech Signal Proc. 24(4), 1976: the maximum likelihood weighting (Hannan and Thomson's) and the bound.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.fft import irfft, next_fast_len, rfft

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.clip import Samples, check_finite, check_rate
from fatsignal.core.stereo.cross_spectra import CrossSpectra, cross_spectra
from fatsignal.core.timing.phase import laid_together, minimum_phase
from fatsignal.errors import SignalError

_LONGEST_S = 0.05
_BAND_HZ = (60.0, 16_000.0)
_SURE = 0.9995
# Spectra that differ by less than this over the octaves are those of one capsule.
_FLAT_DB = 1.0


@dataclass(frozen=True, slots=True)
class MicDelay:
    """How the second microphone lies against the first; positive `delay_samples`: it is later.

    `uncertainty_samples` is the least that any estimate scatters with such a coherence (Cramér and Rao's bound).
    """

    delay_samples: float
    polarity: int
    uncertainty_samples: float
    coherence: float


def mic_delay(first: Samples, second: Samples, *, rate_hz: int, longest_s: float = _LONGEST_S) -> MicDelay:
    """Measure how much later the second of two microphones hears a source, and whether it is upside down.

    Raises
    ------
    SignalError
        If one of them is silent, not finite, or shorter than a tenth of a second.
    """
    return delay_and_spectra(first, second, rate_hz=rate_hz, longest_s=longest_s)[0]


def delay_and_spectra(
    first: Samples, second: Samples, *, rate_hz: int, longest_s: float = _LONGEST_S
) -> tuple[MicDelay, CrossSpectra]:
    """The same, and what the two share as they were recorded, gathered where they lie on each other.

    Raises
    ------
    SignalError
        As `mic_delay`.
    """
    check_rate(rate_hz)
    frames = min(len(first), len(second))
    if frames < rate_hz // 10:
        raise SignalError(f"{frames} frames are too few to compare; a tenth of a second is the least")
    first, second = first[:frames], second[:frames]
    check_finite(first)
    check_finite(second)
    if not first.any() or not second.any():
        raise SignalError("one of the two is silent: there is nothing to compare")
    whole = _whole_frames(first, second, rate_hz, longest_s)
    delay, polarity, apart, spectra = 0.0, 1, 0, None
    for _ in range(2):
        apart = round(whole + delay)
        early, late = laid_together(first, second, apart)
        spectra = cross_spectra(early, late, rate_hz=rate_hz)
        rest, polarity = _fitted(spectra, rate_hz)
        delay = apart + rest - whole
        if abs(rest) < 1.5:
            break
    assert spectra is not None, "it was computed at least once"
    weight = _weight(spectra)
    omega = 2 * np.pi * spectra.frequency_hz / rate_hz
    # Of so many independent segments each frequency's phase scatters by (1−C)/(2·C·segments) [1].
    information = 2 * spectra.independent * float(np.sum(omega**2 * weight))
    found = MicDelay(
        float(whole + delay), polarity, float(1 / math.sqrt(max(information, 1e-12))),
        float(np.average(spectra.coherence, weights=spectra.first + 1e-300)),
    )  # fmt: skip
    return found, replace(spectra, cross=spectra.cross * np.exp(-1j * omega * apart))


def _whole_frames(first: Samples, second: Samples, rate_hz: int, longest_s: float) -> int:
    """Where the two cohere best, to a frame: the correlation of what is left when both are made white."""
    reach = min(round(longest_s * rate_hz), len(first) // 2)
    size = next_fast_len(len(first) + reach, real=True)
    pair = rfft(first, size), rfft(second, size)
    cross = np.conj(pair[0]) * pair[1]
    # Half white: a strong partial must not decide, nor a bin of noise.
    smooth = np.sqrt(np.convolve(np.abs(cross), np.ones(65) / 65, mode="same"))
    correlation = irfft(cross / np.maximum(smooth, 1e-6 * smooth.max() + 1e-300), size)
    window = np.concatenate((correlation[-reach:], correlation[: reach + 1]))
    return int(np.argmax(np.abs(window))) - reach


def _weight(spectra: CrossSpectra) -> Real:
    """C/(1−C) in the band that is listened to, shape (frequencies,)."""
    coherence = np.minimum(spectra.coherence, _SURE)
    inside = (spectra.frequency_hz > _BAND_HZ[0]) & (spectra.frequency_hz < _BAND_HZ[1])
    return np.asarray(np.where(inside, coherence / (1.0 - coherence), 0.0))


def _fitted(spectra: CrossSpectra, rate_hz: int) -> tuple[float, int]:
    """Delay in frames, within some samples of none, and polarity: the line through the phases, bent or as they are."""
    weight = _weight(spectra)
    if not weight.any():
        return 0.0, 1
    omega = 2 * np.pi * spectra.frequency_hz / rate_hz
    turned = spectra.cross / np.maximum(np.abs(spectra.cross), 1e-300)
    bent = _minimum_phase(spectra)
    lines = [_line(turned, weight, omega)]
    if bent is not None:
        lines.append(_line(turned * np.exp(-1j * bent), weight, omega))
    return max(lines, key=lambda line: line[2])[:2]


def _line(turned: Complex, weight: Real, omega: Real) -> tuple[float, int, float]:
    """Delay, polarity, and how well the phases lie on the line: 1 is all of them."""
    # The best of places a tenth of a frame apart, either way up; then the line's own least squares around it.
    tried = np.arange(-8.0, 8.05, 0.1)
    sums = (weight * turned) @ np.exp(1j * np.outer(omega, tried))
    best = int(np.argmax(np.abs(sums.real)))
    polarity = 1 if sums[best].real > 0 else -1
    delay = float(tried[best])
    for _ in range(4):
        left = np.angle(polarity * turned * np.exp(1j * omega * delay))
        near = weight * (np.abs(left) < 1.5)
        scale = float(np.sum(near * omega**2))
        if scale <= 0:
            break
        delay -= float(np.sum(near * omega * left)) / scale
    fits = float(np.sum(weight * (polarity * turned * np.exp(1j * omega * delay)).real) / weight.sum())
    return delay, polarity, fits


def _minimum_phase(spectra: CrossSpectra) -> Real | None:
    """Phase that goes with the ratio of the two spectra, shape (frequencies,); None where that is flat."""
    coherence = spectra.coherence
    inside = (spectra.frequency_hz > _BAND_HZ[0]) & (coherence > 0.3)
    if inside.sum() < 16:
        return None
    octaves = np.log2(np.maximum(spectra.frequency_hz, spectra.frequency_hz[1]))
    grid = np.arange(octaves[inside][0], octaves[inside][-1], 1 / 12)
    power = [_smoothed(each, octaves, grid, coherence) for each in (spectra.first, spectra.second)]
    # Noise alike in both lifts both; what they share tells the rest.
    ratio_db = 10 * np.log10(power[1] / power[0])
    known = _smoothed(coherence, octaves, grid, np.ones(len(coherence)))
    middle = float(np.average(ratio_db, weights=known))
    if math.sqrt(float(np.average((ratio_db - middle) ** 2, weights=known))) < _FLAT_DB:
        return None
    return minimum_phase(_continued(octaves, grid, ratio_db) * math.log(10) / 20)


def _continued(octaves: Real, grid: Real, ratio_db: Real) -> Real:
    """The ratio at every frequency; beyond what is known it goes on as steeply as it came.

    A capsule that falls off does so further on, and that fall belongs to its phase below.
    """
    edge = min(12, len(grid) // 3)
    low = np.polyfit(grid[:edge], ratio_db[:edge], 1)[0]
    high = np.polyfit(grid[-edge:], ratio_db[-edge:], 1)[0]
    inside = np.interp(octaves, grid, ratio_db)
    beyond = inside + low * np.minimum(octaves - grid[0], 0) + high * np.maximum(octaves - grid[-1], 0)
    return np.asarray(np.clip(beyond, ratio_db.min() - 40, ratio_db.max() + 40))


def _smoothed(values: Real, octaves: Real, grid: Real, weight: Real) -> Real:
    """Means over a sixth of an octave around each place of the grid, two bins at least."""
    running = np.concatenate(([0.0], np.cumsum(values * weight)))
    total = np.concatenate(([0.0], np.cumsum(weight)))
    low = np.searchsorted(octaves, grid - 1 / 12)
    high = np.minimum(np.maximum(np.searchsorted(octaves, grid + 1 / 12), low + 2), len(octaves))
    low = np.minimum(low, high - 2)
    return np.asarray(np.maximum((running[high] - running[low]) / np.maximum(total[high] - total[low], 1e-12), 1e-30))
