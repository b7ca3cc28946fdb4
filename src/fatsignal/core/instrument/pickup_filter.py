"""The loaded pickup as a running filter."""

import math

import numpy as np

from fatsignal.core.amp.filters import RationalFilter
from fatsignal.core.instrument.pickup import Load, Pickup, analogue_coefficients, piezo_corner_hz, resonance_hz


def pickup_filter(pickup: Pickup, load: Load, rate_hz: int) -> RationalFilter:
    """Prewarped so that its resonance, or a piezo's corner, stays where it is."""
    if pickup.kind == "piezo":
        corner = 2 * math.pi * piezo_corner_hz(pickup, load)
        k = corner / math.tan(corner / (2 * rate_hz))
        share = pickup.capacitance_farad / (pickup.capacitance_farad + load.cable_farad)
        return RationalFilter(share * np.array([k, -k]), np.array([k + corner, corner - k]))
    a2, a1, a0 = analogue_coefficients(pickup, load)
    centre = 2 * math.pi * min(resonance_hz(pickup, load), 0.45 * rate_hz)
    k = centre / math.tan(centre / (2 * rate_hz))
    numerator = np.array([1.0, 2.0, 1.0])
    denominator = np.array([a2 * k**2 + a1 * k + a0, 2 * (a0 - a2 * k**2), a2 * k**2 - a1 * k + a0])
    return RationalFilter(numerator, denominator)
