"""The delay between two microphones on one source, to some hundredths of a sample, and their polarity.

The phase of their cross spectrum is a straight line over frequency, with the noise that the coherence tells. So the
line is fitted with each frequency's weight by maximum likelihood, C/(1−C). Capsules of different kinds, and a
reflection that is weaker than the direct sound, bend the line; where the spectra say that there are such,
`capsules_apart` finds what they do, and it is taken off.

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
from fatsignal.core.stereo.capsules_apart import capsules_apart
from fatsignal.core.stereo.cross_spectra import CrossSpectra, cross_spectra
from fatsignal.core.timing.phase import laid_together
from fatsignal.errors import SignalError

_LONGEST_S = 0.05
_BAND_HZ = (60.0, 16_000.0)
_SURE = 0.9995


@dataclass(frozen=True, slots=True)
class MicDelay:
    """How the second microphone lies against the first; positive `delay_samples`: it is later.

    `uncertainty_samples` is the least that any estimate scatters with such a coherence (Cramér and Rao's bound); of
    capsules of different kinds, what their own curves leave open beside it.
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
    delay, polarity, open_samples, apart, spectra = 0.0, 1, 0.0, 0, None
    for _ in range(2):
        apart = round(whole + delay)
        early, late = laid_together(first, second, apart)
        spectra = cross_spectra(early, late, rate_hz=rate_hz)
        rest, polarity, open_samples = _fitted(spectra, rate_hz)
        delay = apart + rest - whole
        if abs(rest) < 1.5:
            break
    assert spectra is not None, "it was computed at least once"
    weight = _weight(spectra)
    omega = 2 * np.pi * spectra.frequency_hz / rate_hz
    # Of so many independent segments each frequency's phase scatters by (1−C)/(2·C·segments) [1].
    information = 2 * spectra.independent * float(np.sum(omega**2 * weight))
    found = MicDelay(
        float(whole + delay), polarity, float(math.hypot(1 / math.sqrt(max(information, 1e-12)), open_samples)),
        float(np.average(spectra.coherence, weights=spectra.first + 1e-300)),
    )  # fmt: skip
    return found, replace(spectra, cross=spectra.cross * np.exp(-1j * omega * apart))


def _whole_frames(first: Samples, second: Samples, rate_hz: int, longest_s: float) -> int:
    """Where the two cohere best, to a frame: the correlation of what is left when both are made white."""
    reach = min(round(longest_s * rate_hz), len(first) // 2)
    size = next_fast_len(len(first) + reach, real=True)
    # Single precision finds a frame.
    pair = [rfft(np.asarray(each / np.abs(each).max(), dtype=np.float32), size) for each in (first, second)]
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


def _fitted(spectra: CrossSpectra, rate_hz: int) -> tuple[float, int, float]:
    """Delay in frames within some samples of none, polarity, and what different capsules leave open of the delay."""
    weight = _weight(spectra)
    if not weight.any():
        return 0.0, 1, 0.0
    omega = 2 * np.pi * spectra.frequency_hz / rate_hz
    turned = spectra.cross / np.maximum(np.abs(spectra.cross), 1e-300)
    delay, polarity = _line(turned, weight, omega)
    apart = capsules_apart(spectra, weight, delay_samples=delay, polarity=polarity, rate_hz=rate_hz)
    if apart is None:
        return delay, polarity, 0.0
    straight = polarity * turned * np.exp(-1j * apart.phase)
    return _least_squares(straight, weight, omega, apart.delay_samples), polarity, apart.uncertainty_samples


def _line(turned: Complex, weight: Real, omega: Real) -> tuple[float, int]:
    """Delay and polarity of the line through the phases."""
    # The best of places a quarter of a frame apart, either way up; then the line's own least squares around it.
    tried = np.arange(-8.0, 8.05, 0.25)
    counts = weight > 0
    sums = (weight * turned)[counts] @ np.exp(1j * np.outer(omega[counts], tried))
    best = int(np.argmax(np.abs(sums.real)))
    polarity = 1 if sums[best].real > 0 else -1
    return _least_squares(polarity * turned, weight, omega, float(tried[best])), polarity


def _least_squares(turned: Complex, weight: Real, omega: Real, near_by: float) -> float:
    """Delay in frames of the line through the phases, from a place near by."""
    delay = near_by
    for _ in range(4):
        left = np.angle(turned * np.exp(1j * omega * delay))
        near = weight * (np.abs(left) < 1.5)
        scale = float(np.sum(near * omega**2))
        if scale <= 0:
            break
        delay -= float(np.sum(near * omega * left)) / scale
    return delay
