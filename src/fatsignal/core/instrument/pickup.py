"""What cable and input do to a pickup: a coil with its own capacitance, loaded."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.amp.filters import RationalFilter


@dataclass(frozen=True, slots=True)
class Pickup:
    """A pickup's coil; typical values of common practice, no source."""

    inductance_h: float = 2.5
    resistance_ohm: float = 6_000.0
    capacitance_farad: float = 120e-12


@dataclass(frozen=True, slots=True)
class Load:
    """What hangs on the pickup: the cable's capacitance and the input's resistance."""

    cable_farad: float = 500e-12
    input_ohm: float = 1e6


def analogue_coefficients(pickup: Pickup, load: Load) -> tuple[float, float, float]:
    """(a2, a1, a0) of H(s) = 1 / (a2 s² + a1 s + a0), by the divider of coil and load."""
    farad = pickup.capacitance_farad + load.cable_farad
    return (
        pickup.inductance_h * farad,
        pickup.resistance_ohm * farad + pickup.inductance_h / load.input_ohm,
        1 + pickup.resistance_ohm / load.input_ohm,
    )


def resonance_hz(pickup: Pickup, load: Load) -> float:
    """Frequency of the undamped resonance, sqrt(a0/a2)/2π; with a light load 1/(2π·sqrt(L·C))."""
    a2, _, a0 = analogue_coefficients(pickup, load)
    return math.sqrt(a0 / a2) / (2 * math.pi)


def response_db(pickup: Pickup, load: Load, frequency_hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Analogue gain in dB from the string's voltage to the input."""
    a2, a1, a0 = analogue_coefficients(pickup, load)
    s = 2j * np.pi * frequency_hz
    return np.asarray(-20 * np.log10(np.abs(a2 * s**2 + a1 * s + a0)))


def pickup_filter(pickup: Pickup, load: Load, rate_hz: int) -> RationalFilter:
    """The loaded pickup as a running filter, prewarped so that its resonance stays where it is."""
    a2, a1, a0 = analogue_coefficients(pickup, load)
    centre = 2 * math.pi * min(resonance_hz(pickup, load), 0.45 * rate_hz)
    k = centre / math.tan(centre / (2 * rate_hz))
    numerator = np.array([1.0, 2.0, 1.0])
    denominator = np.array([a2 * k**2 + a1 * k + a0, 2 * (a0 - a2 * k**2), a2 * k**2 - a1 * k + a0])
    return RationalFilter(numerator, denominator)
