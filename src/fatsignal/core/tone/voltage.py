"""Volts and full scale: what a DI reads stands for a voltage at the jack, and a tone answers to volts.

A rig sheet tells how many volts read 0 dBFS (`RigSetup.di_voltage`), so that turning the input's gain changes no print.
"""

from dataclasses import dataclass

# What a tone gives is told against this voltage, whatever the DI's own was.
OUTPUT_FULL_SCALE_V = 3.0
# Of a DI of which nobody knows: an instrument input with some gain.
UNKNOWN_FULL_SCALE_V = 3.0
LOWEST_FULL_SCALE_V, HIGHEST_FULL_SCALE_V = 0.001, 500.0


@dataclass(frozen=True, slots=True)
class DiVoltage:
    """The voltage at the jack that reads 0 dBFS, and whether the polarity was turned on its way."""

    full_scale_v: float
    inverted: bool = False

    @property
    def factor(self) -> float:
        """What brings samples to volts."""
        return -self.full_scale_v if self.inverted else self.full_scale_v


UNKNOWN = DiVoltage(UNKNOWN_FULL_SCALE_V)
