"""Equaliser sections that do at every rate what their analogue prototypes do.

The cookbook brings its prototypes to a rate by the bilinear transform, which draws all that is above a quarter of the
rate together: a peak at 8 kHz has another width at 44.1 than at 96 kHz, and a cut goes to nothing at half the rate.
Here poles are those of the prototype, by impulse invariance, and the numerator gives its magnitude at 0 Hz, at the
section's own frequency and at half the rate. What is cut is the inverse of what is lifted. Where the bilinear transform
comes nearer, as for slopes beyond what three coefficients can give, it is taken.

References
----------
.. [1] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Group Note, 2021: the prototypes H(s).
.. [2] M. Vicanek, "Matched second order digital filters", 2016: impulse-invariant poles, matched magnitudes.
"""

import math

import numpy as np

from fatsignal.core.amp.filters import HIGHEST_SHARE, cookbook_section, prototype, response_db
from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples

# As far up as most hear, and as thirds of an octave are compared; what lies so far down is not.
_COMPARED_HZ = np.geomspace(20.0, 15_900.0, 60)
_HEARD_DB = -40.0


def prototype_db(shape: str, *, frequency_hz: float, gain_db: float, q: float, at_hz: Real) -> Real:
    """Gain in dB of a section as it is meant, at each frequency, shape of `at_hz`."""
    numerator, denominator = prototype(shape, gain_db=gain_db, q=q)
    s = 1j * np.asarray(at_hz) / frequency_hz
    return np.asarray(20 * np.log10(np.maximum(np.abs(np.polyval(numerator, s) / np.polyval(denominator, s)), 1e-10)))


def matched_section(
    shape: str, *, frequency_hz: float, gain_db: float, q: float, rate_hz: float
) -> tuple[Samples, Samples]:
    """Numerator and denominator of one equaliser section, in z⁻¹; shapes are those of `cookbook_section`."""
    values = {"frequency_hz": frequency_hz, "q": q}
    found = [
        cookbook_section(shape, **values, gain_db=gain_db, rate_hz=rate_hz),
        _matched(shape, **values, gain_db=gain_db, rate_hz=rate_hz),
    ]
    if shape not in ("low_cut", "high_cut"):
        poles, zeros = _matched(shape, **values, gain_db=-gain_db, rate_hz=rate_hz)
        if np.abs(np.roots(poles)).max() < 1:
            found.append((zeros / poles[0], poles / poles[0]))
    meant = prototype_db(shape, **values, gain_db=gain_db, at_hz=_COMPARED_HZ)
    compared = (meant > _HEARD_DB) & (HIGHEST_SHARE * rate_hz > _COMPARED_HZ)

    def off_db(section: tuple[Samples, Samples]) -> float:
        off = np.abs(response_db(*section, _COMPARED_HZ, rate_hz) - meant)
        return float(off[compared].max(initial=0.0))

    return min(found, key=off_db)


def _matched(shape: str, *, frequency_hz: float, gain_db: float, q: float, rate_hz: float) -> tuple[Samples, Samples]:
    numerator, denominator = prototype(shape, gain_db=gain_db, q=q)
    w0 = 2 * math.pi * min(frequency_hz, HIGHEST_SHARE * rate_hz) / rate_hz
    a = np.real(np.poly(np.exp(np.roots(denominator).astype(complex) * w0)))

    def wanted(w: float) -> float:
        """The numerator's squared magnitude that gives the prototype's."""
        s, z = 1j * w / w0, np.exp(-1j * w)
        meant = abs(np.polyval(numerator, s) / np.polyval(denominator, s)) ** 2
        return float(meant * abs(np.polyval(a[::-1], z)) ** 2)

    # |B|² = B0 cos²(w/2) + B1 sin²(w/2) + B2 sin²(w), with B0 at 0 Hz and B1 at half the rate [2].
    high = math.sin(w0 / 2) ** 2
    if shape == "low_cut":
        # A double zero at 0 Hz, and the magnitude at the section's own frequency.
        b0 = math.sqrt(wanted(w0)) / (4 * high)
        return np.array([b0, -2 * b0, b0]), a
    at_zero, at_half = wanted(0.0), wanted(math.pi)
    between = (wanted(w0) - at_zero * (1 - high) - at_half * high) / (4 * high * (1 - high))
    mean = 0.5 * (math.sqrt(at_zero) + math.sqrt(at_half))
    b0 = 0.5 * (mean + math.sqrt(max(0.0, mean**2 + between)))
    return np.array([b0, 0.5 * (math.sqrt(at_zero) - math.sqrt(at_half)), -between / (4 * b0)]), a
