"""Microphones: their kinds and patterns, and what each capsule does to a sound.

References
----------
.. [1] First-order patterns a + (1-a)·cosθ: L. L. Beranek, T. J. Mellow, Acoustics (2012), ch. 5.
"""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.arrays import Complex, Real
from fatsignal.errors import InvalidSetting

_PRESENCE_Q = 0.9
# Shares of pressure of the patterns that have a name (Beranek and Mellow [1]; the hypercardioid hears least from all
# round together).
PATTERNS = {"omni": 1.0, "wide cardioid": 0.7, "cardioid": 0.5, "hypercardioid": 0.25, "figure-8": 0.0}


@dataclass(frozen=True, slots=True)
class MicKind:
    """A kind of microphone; its curve is of common practice, no source.

    `pressure_share` is a of a + (1-a)·cosθ: 1 hears all round, 0.5 is a cardioid, 0 a figure of eight; where it is
    `switchable`, that is what it is set to when nobody set it. `self_noise_db_spl` is A-weighted and of its
    electronics; None for a mic whose coil or ribbon is all that hisses.
    """

    title: str
    pressure_share: float
    low_cut_hz: float
    presence_hz: float
    presence_db: float
    high_cut_hz: float
    sensitivity_v_pa: float
    output_ohm: float
    self_noise_db_spl: float | None = None
    needs_phantom: bool = False
    hurt_by_phantom: bool = False
    diaphragm_m: float = 0.0
    switchable: bool = False

    def share(self, pattern: float | None = None) -> float:
        """Its share of pressure, as it is set."""
        return pattern if self.switchable and pattern is not None else self.pressure_share

    @property
    def pattern(self) -> str:
        """The pattern's name, as it is when nobody switched it."""
        return pattern_name(self.pressure_share)


MIC_KINDS: dict[str, MicKind] = {
    "coil": MicKind("moving coil", 0.5, 90.0, 5_200.0, 5.0, 15_000.0, 1.8e-3, 250.0, diaphragm_m=0.0125),
    "ribbon": MicKind(
        "ribbon", 0.0, 35.0, 3_000.0, 0.5, 9_500.0, 1.5e-3, 300.0, hurt_by_phantom=True, diaphragm_m=0.004
    ),
    "active ribbon": MicKind(
        "active ribbon", 0.0, 35.0, 3_200.0, 0.8, 11_000.0, 9e-3, 150.0, 17.0, needs_phantom=True, diaphragm_m=0.004
    ),
    "condenser": MicKind(
        "small condenser, cardioid", 0.5, 25.0, 10_000.0, 2.5, 19_000.0, 12e-3, 150.0, 13.0, needs_phantom=True,
        diaphragm_m=0.008,
    ),
    "hypercardioid": MicKind(
        "small condenser, hypercardioid", 0.25, 40.0, 9_500.0, 2.5, 18_500.0, 11e-3, 150.0, 14.0, needs_phantom=True,
        diaphragm_m=0.008,
    ),
    "pressure": MicKind(
        "small condenser, omni", 1.0, 12.0, 9_000.0, 1.5, 19_000.0, 10e-3, 150.0, 15.0, needs_phantom=True,
        diaphragm_m=0.008,
    ),
    "large condenser": MicKind(
        "large condenser", 0.5, 20.0, 7_500.0, 3.0, 17_000.0, 20e-3, 150.0, 8.0, needs_phantom=True,
        diaphragm_m=0.0125, switchable=True,
    ),
}  # fmt: skip


def pattern_name(share: float) -> str:
    """The name of the pattern with a share of pressure; of one between, the two it lies between."""
    named = [name for name, exactly in PATTERNS.items() if abs(exactly - share) < 0.02]
    if named:
        return named[0]
    wider = min((exactly, name) for name, exactly in PATTERNS.items() if exactly > share)[1]
    narrower = max((exactly, name) for name, exactly in PATTERNS.items() if exactly < share)[1]
    return f"between {wider} and {narrower}"


def parse_pattern(typed: str) -> float:
    """Share of pressure of a pattern's name, or of a number from 0 (figure-8) to 1 (omni).

    Raises
    ------
    InvalidSetting
        If it is neither.
    """
    name = typed.strip().lower()
    if name in PATTERNS:
        return PATTERNS[name]
    try:
        share = float(name)
    except ValueError:
        share = math.nan
    if not 0 <= share <= 1:
        raise InvalidSetting(f"“{typed}” is no pattern: choose {', '.join(PATTERNS)}, or a number from 0 to 1")
    return share


def capsule_response(kind: MicKind, frequency_hz: Real) -> Complex:
    """Response of the capsule on axis to a plane wave, shape of `frequency_hz`."""
    return capsule_curve(frequency_hz, kind.low_cut_hz, kind.presence_hz, kind.presence_db, kind.high_cut_hz)


def capsule_curve(
    frequency_hz: Real, low_cut_hz: float | Real, presence_hz: float | Real, presence_db: float | Real,
    high_cut_hz: float | Real,
) -> Complex:  # fmt: skip
    """A fall of second order to the lows (Butterworth's), a presence peak, such a fall to the highs; all broadcast."""
    s = 1j * np.maximum(frequency_hz, 1e-3)
    low = s**2 / (s**2 + s * low_cut_hz * math.sqrt(2) + low_cut_hz**2)
    high = high_cut_hz**2 / (s**2 + s * high_cut_hz * math.sqrt(2) + high_cut_hz**2)
    return np.asarray(low * resonance(frequency_hz, presence_hz, presence_db, _PRESENCE_Q) * high)


def resonance(frequency_hz: Real, centre_hz: float | Real, gain_db: float | Real, q: float) -> Complex:
    """An analogue peak: unity far away, `gain_db` at its centre."""
    gain = 10 ** (gain_db / 20)
    s = 1j * np.maximum(frequency_hz, 1e-3) / centre_hz
    wide = np.sqrt(gain) / q
    return np.asarray((s**2 + s * wide + 1) / (s**2 + s * wide / gain + 1))
