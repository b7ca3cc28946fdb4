"""What two placements do differently, free of the playing: the DI recorded beside the microphones is the ruler.

Each clip gives the transfer from its DI to its microphone. The playing is in both and falls out of the difference of
two transfers; what an amp makes of it does too, as far as it is a linear filter. How far that is, the coherence says.

References
----------
.. [1] J. S. Bendat, A. G. Piersol, Random Data, 4th ed., ch. 9: a gain measured over n independent segments scatters by
   sqrt((1 − C)/(2·C·n)) of itself.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples, check_finite, check_rate
from fatsignal.core.level.third_octaves import CENTRES_HZ, edges_hz
from fatsignal.core.stereo.cross_spectra import CrossSpectra, cross_spectra
from fatsignal.errors import SignalError

_DB = 20 / math.log(10)
_SEGMENT_S = 0.17
# Below that a band tells of something else than the DI: distortion, noise, another source.
_TOLD = 0.05
# Where guitars, basses and their speakers are judged.
_HEARD_HZ = (90.0, 4_500.0)
# Two clips that cohere so little on average say little of the microphones (common practice, no source).
TRUSTED, DOUBTED = 0.8, 0.4


@dataclass(frozen=True, slots=True)
class RuledBand:
    """A third of an octave: how much louder the other placement is there, and how far that can be off (one sigma).

    None where the DI and a microphone do not cohere.
    """

    centre_hz: float
    difference_db: float | None
    uncertainty_db: float | None
    coherence: float


@dataclass(frozen=True, slots=True)
class Ruled:
    """The difference of two placements; `coherence` is the mean over 90 Hz to 4.5 kHz, `says` how far to trust it."""

    bands: list[RuledBand]
    coherence: float
    says: str


def placement_difference(
    di_one: Samples, mic_one: Samples, di_other: Samples, mic_other: Samples, *, rate_hz: int
) -> Ruled:
    """Compare two clips of different playing, shape (frames,) each; a clip's DI and mic are of one length.

    Raises
    ------
    SignalError
        If one of them is silent, not finite, too short, or a DI and its mic are not of one length.
    """
    check_rate(rate_hz)
    one, other = _transfer(di_one, mic_one, rate_hz), _transfer(di_other, mic_other, rate_hz)
    bands = [_band(one, other, float(centre_hz)) for centre_hz in CENTRES_HZ if edges_hz(centre_hz)[1] < 0.45 * rate_hz]
    coherence = float(np.mean([band.coherence for band in bands if _HEARD_HZ[0] < band.centre_hz < _HEARD_HZ[1]]))
    return Ruled(bands, coherence, _says(coherence, bands))


def _transfer(di: Samples, mic: Samples, rate_hz: int) -> CrossSpectra:
    if len(di) != len(mic):
        raise SignalError(f"the DI has {len(di)} frames and the microphone {len(mic)}: they are not of one clip")
    if len(di) < rate_hz:
        raise SignalError(f"a clip of {len(di) / rate_hz:.1f} s tells too little: play for a second at least")
    for name, signal in (("DI", di), ("microphone", mic)):
        check_finite(signal)
        if not signal.any():
            raise SignalError(f"the {name} is silent: there is nothing to compare by")
    return cross_spectra(di, mic, rate_hz=rate_hz, segment_s=_SEGMENT_S)


def _band(one: CrossSpectra, other: CrossSpectra, centre_hz: float) -> RuledBand:
    frequency_hz = one.frequency_hz
    low_hz, high_hz = edges_hz(centre_hz)
    inside = (frequency_hz >= low_hz) & (frequency_hz < high_hz)
    if not inside.any():
        inside = np.arange(len(frequency_hz)) == int(np.argmin(np.abs(frequency_hz - centre_hz)))
    found = [_gain(each, inside) for each in (one, other)]
    coherence = min(each[2] for each in found)
    if coherence < _TOLD:
        return RuledBand(centre_hz, None, None, coherence)
    return RuledBand(centre_hz, found[1][0] - found[0][0], math.hypot(found[0][1], found[1][1]), coherence)


def _gain(spectra: CrossSpectra, inside: NDArray[np.bool_]) -> tuple[float, float, float]:
    """Gain of a band in dB, its scatter in dB, and the coherence: means over its bins, each as far as it is sure."""
    coherence = np.clip(spectra.coherence[inside], 1e-6, 0.9999)
    gain = np.abs(spectra.cross[inside]) / np.maximum(spectra.first[inside], 1e-300)
    variance = (1 - coherence) / (2 * coherence * spectra.independent)
    weight = 1 / variance
    # Neighbouring bins of a Hann window share half of what they are.
    alone = max(1.0, len(gain) / 1.5)
    mean = float(np.average(np.log(np.maximum(gain, 1e-12)), weights=weight))
    scatter = math.sqrt(len(gain) / alone / float(weight.sum()))
    return _DB * mean, _DB * scatter, float(np.average(coherence, weights=spectra.first[inside] + 1e-300))


def _says(coherence: float, bands: list[RuledBand]) -> str:
    told = [band for band in bands if band.difference_db is not None]
    if not told:
        return "the DI and the microphones have nothing in common: is it the same part?"
    if coherence >= TRUSTED:
        return "free of the playing"
    if coherence >= DOUBTED:
        return "the amp distorts: free of the playing within what is drawn beside it"
    return "the amp distorts so much that the DI is no ruler: play the same riff each time, and compare by ear"
