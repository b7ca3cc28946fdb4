"""From where a capsule hears and to where a disc radiates.

References
----------
.. [1] The pressure gradient's 1 + 1/(jkr) for a point source: L. L. Beranek, T. J. Mellow, Acoustics (2012), ch. 5.
.. [2] The mean of a plane wave over a disc, 2·J1(x)/x at x = ka·sinθ: L. E. Kinsler et al., Fundamentals of
   Acoustics, 4th ed., ch. 7, by reciprocity.
"""

import numpy as np
from scipy.special import j1

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.units import speed_of_sound_m_s


def disc_directivity(
    radius_m: Real | float, frequency_hz: Real, sin_angle: float, *, temperature_c: float = 20.0
) -> Real:
    """2·J1(x)/x at x = ka·sinθ: of a piston that radiates, or of a membrane that hears; 1 on its axis [2]."""
    k = 2 * np.pi * np.asarray(frequency_hz) / speed_of_sound_m_s(temperature_c)
    x = np.maximum(k * radius_m * np.abs(sin_angle), 1e-6)
    return np.asarray(2 * j1(x) / x)


def pattern_gain(pressure_share: float, cos_angle: Real | float, wavenumber_distance: float = np.inf) -> Complex:
    """Sensitivity of a first-order capsule towards a point source against the plane wave from the front.

    `cos_angle` is the cosine between its axis and the direction of the source, `wavenumber_distance` is k·r of the
    source; one that is far away has no proximity effect.
    """
    gradient = (1.0 - pressure_share) * np.asarray(cos_angle)
    return np.asarray(pressure_share + gradient - 1j * gradient / max(wavenumber_distance, 1e-6))
