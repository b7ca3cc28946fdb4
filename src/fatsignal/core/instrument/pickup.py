"""What cable and input do to a pickup: a coil with its own capacitance, or a piezo element, loaded.

References
----------
.. [1] The coil's equivalent circuit, L and R in series with C across: H. E. W. Zollner, Physik der
   Elektrogitarre (2014), ch. 5.9; values of a pickup are of common practice.
"""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from fatsignal.core.arrays import Complex, Real

PickupKind = Literal["single coil", "humbucker", "piezo"]


@dataclass(frozen=True, slots=True)
class Pickup:
    """A pickup: a coil's inductance, resistance and capacitance, or a piezo, which is a capacitance alone."""

    inductance_h: float = 2.5
    resistance_ohm: float = 6_000.0
    capacitance_farad: float = 120e-12
    kind: PickupKind = "single coil"


PICKUPS: dict[PickupKind, Pickup] = {
    "single coil": Pickup(),
    "humbucker": Pickup(4.4, 8_200.0, 110e-12, "humbucker"),
    "piezo": Pickup(0.0, 0.0, 500e-12, "piezo"),
}


@dataclass(frozen=True, slots=True)
class Load:
    """What hangs on the pickup: the cables' capacitance and the inputs' resistance."""

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
    """Frequency of a coil's undamped resonance, sqrt(a0/a2)/2π; with a light load 1/(2π·sqrt(L·C))."""
    a2, _, a0 = analogue_coefficients(pickup, load)
    return math.sqrt(a0 / a2) / (2 * math.pi)


def piezo_corner_hz(pickup: Pickup, load: Load) -> float:
    """Below this frequency a piezo loses its lows: 1/(2π·R·C)."""
    return 1 / (2 * math.pi * load.input_ohm * (pickup.capacitance_farad + load.cable_farad))


def response(pickup: Pickup, load: Load, frequency_hz: Real) -> Complex:
    """Analogue transfer from the string's voltage to the input."""
    s = 2j * np.pi * frequency_hz
    if pickup.kind == "piezo":
        total = pickup.capacitance_farad + load.cable_farad
        return np.asarray(s * load.input_ohm * pickup.capacitance_farad / (1 + s * load.input_ohm * total))
    a2, a1, a0 = analogue_coefficients(pickup, load)
    return np.asarray(1 / (a2 * s**2 + a1 * s + a0))


def response_db(pickup: Pickup, load: Load, frequency_hz: Real) -> Real:
    """Analogue gain in dB from the string's voltage to the input."""
    return np.asarray(20 * np.log10(np.abs(response(pickup, load, frequency_hz))))
