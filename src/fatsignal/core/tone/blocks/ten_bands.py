"""A graphic equaliser: ten bands an octave apart.

References
----------
.. [1] ISO 266 / IEC 61260-1: preferred centres of octave bands.
.. [2] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Group Note, 2021: peaking section.
"""

from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    Curve,
    Operating,
    Runner,
    ToneBlock,
    setting,
)

CENTRES_HZ = (31.5, 63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16_000.0)
# An octave between the points of half the gain.
_Q = 1.414


def _band(label: str):  # type: ignore[no-untyped-def]
    return setting(0, label=label, unit="dB", low=-15, high=15, step=0.5)


class TenBands(ToneBlock):
    """Ten bands an octave apart, each turned up or down."""

    TITLE: ClassVar[str] = "Ten bands"
    GROUP: ClassVar[str] = "colour"

    kind: Literal["ten_bands"] = "ten_bands"
    band_32_db: float = _band("31.5 Hz")
    band_63_db: float = _band("63 Hz")
    band_125_db: float = _band("125 Hz")
    band_250_db: float = _band("250 Hz")
    band_500_db: float = _band("500 Hz")
    band_1k_db: float = _band("1 kHz")
    band_2k_db: float = _band("2 kHz")
    band_4k_db: float = _band("4 kHz")
    band_8k_db: float = _band("8 kHz")
    band_16k_db: float = _band("16 kHz")

    @property
    def gains_db(self) -> tuple[float, ...]:
        """From the lowest band to the highest."""
        return (
            self.band_32_db, self.band_63_db, self.band_125_db, self.band_250_db, self.band_500_db, self.band_1k_db,
            self.band_2k_db, self.band_4k_db, self.band_8k_db, self.band_16k_db,
        )  # fmt: skip

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.filters import RationalFilter
        from fatsignal.core.amp.matched_sections import matched_section

        return [
            RationalFilter(*matched_section("peak", frequency_hz=centre_hz, gain_db=gain_db, q=_Q, rate_hz=at.rate_hz))
            for centre_hz, gain_db in zip(CENTRES_HZ, self.gains_db, strict=True)
        ]

    def curve(self) -> Curve:
        from fatsignal.core.amp.matched_sections import prototype_db

        total = np.zeros_like(FREQUENCY_HZ)
        for centre_hz, gain_db in zip(CENTRES_HZ, self.gains_db, strict=True):
            total = total + prototype_db("peak", frequency_hz=centre_hz, gain_db=gain_db, q=_Q, at_hz=FREQUENCY_HZ)
        return Curve("frequency", FREQUENCY_HZ, total)
