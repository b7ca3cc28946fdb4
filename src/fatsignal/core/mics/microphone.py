"""Microphones: first-order patterns with proximity, and what each kind's capsule does to a sound.

References
----------
.. [1] First-order patterns a + (1-a)·cosθ and the pressure gradient's 1 + 1/(jkr) for a point source:
   L. L. Beranek, T. J. Mellow, Acoustics (2012), ch. 5.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex128]
Real = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class MicKind:
    """A kind of microphone; its curve is of common practice, no source.

    `pressure_share` is a of a + (1-a)·cosθ: 1 hears all round, 0.5 is a cardioid, 0 a figure of eight.
    `self_noise_db_spl` is A-weighted and of its electronics; None for a mic whose coil or ribbon is all that hisses.
    """

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

    @property
    def pattern(self) -> str:
        """The pattern's name."""
        if self.pressure_share >= 0.9:
            return "hears all round"
        return "figure of eight" if self.pressure_share <= 0.1 else "cardioid"


MIC_KINDS: dict[str, MicKind] = {
    "coil": MicKind(0.5, 90.0, 5_200.0, 5.0, 15_000.0, 1.8e-3, 250.0),
    "ribbon": MicKind(0.0, 35.0, 3_000.0, 0.5, 9_500.0, 1.5e-3, 300.0, hurt_by_phantom=True),
    "active ribbon": MicKind(0.0, 35.0, 3_200.0, 0.8, 11_000.0, 9e-3, 150.0, 17.0, needs_phantom=True),
    "condenser": MicKind(0.5, 25.0, 10_000.0, 2.5, 19_000.0, 12e-3, 150.0, 13.0, needs_phantom=True),
    "pressure": MicKind(1.0, 12.0, 9_000.0, 1.5, 19_000.0, 10e-3, 150.0, 15.0, needs_phantom=True),
}


def capsule_response(kind: MicKind, frequency_hz: Real) -> Complex:
    """Response of the capsule on axis to a plane wave, shape of `frequency_hz`."""
    s = 1j * np.maximum(frequency_hz, 1e-3)
    low = s**2 / (s**2 + s * kind.low_cut_hz * 1.4 + kind.low_cut_hz**2)
    high = kind.high_cut_hz**2 / (s**2 + s * kind.high_cut_hz * 1.4 + kind.high_cut_hz**2)
    return np.asarray(low * resonance(frequency_hz, kind.presence_hz, kind.presence_db, 0.9) * high)


def resonance(frequency_hz: Real, centre_hz: float, gain_db: float, q: float) -> Complex:
    """An analogue peak: unity far away, `gain_db` at its centre."""
    gain = 10 ** (gain_db / 20)
    s = 1j * np.maximum(frequency_hz, 1e-3) / centre_hz
    wide = np.sqrt(gain) / q
    return np.asarray((s**2 + s * wide + 1) / (s**2 + s * wide / gain + 1))
