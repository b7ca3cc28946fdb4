"""An equaliser of the published cookbook's sections."""

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    Curve,
    Operating,
    Runner,
    ToneBlock,
    TonePart,
    setting,
)


class Band(TonePart):
    """One equaliser section of the published cookbook."""

    shape: Literal["peak", "low_shelf", "high_shelf", "low_cut", "high_cut"]
    frequency_hz: float = setting(..., label="frequency", unit="Hz", low=20, high=20_000, step=1, even="ratios")
    gain_db: float = setting(0, label="gain", unit="dB", low=-24, high=24, step=0.1)
    q: float = setting(0.7071, label="Q", low=0.1, high=18, step=0.01, even="ratios")

    def value(self) -> str:
        shown = f"{self.frequency_hz / 1000:g} kHz" if self.frequency_hz >= 1000 else f"{self.frequency_hz:g} Hz"
        return f"{shown}, {self.gain_db:+g} dB" if self.gain_db else shown


class Equaliser(ToneBlock):
    """Up to eight sections in a row."""

    TITLE: ClassVar[str] = "Equaliser"
    GROUP: ClassVar[str] = "colour"

    kind: Literal["equaliser"] = "equaliser"
    bands: list[Band] = Field(min_length=1, max_length=8)

    @classmethod
    def example(cls) -> "Equaliser":
        return cls(bands=[Band(shape="peak", frequency_hz=1000)])

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.filters import RationalFilter
        from fatsignal.core.amp.matched_sections import matched_section

        return [
            RationalFilter(
                *matched_section(
                    band.shape, frequency_hz=band.frequency_hz, gain_db=band.gain_db, q=band.q, rate_hz=at.rate_hz
                )
            )
            for band in self.bands
        ]

    def curve(self) -> Curve:
        from fatsignal.core.amp.matched_sections import prototype_db

        total = np.zeros_like(FREQUENCY_HZ)
        for band in self.bands:
            total = total + prototype_db(
                band.shape, frequency_hz=band.frequency_hz, gain_db=band.gain_db, q=band.q, at_hz=FREQUENCY_HZ
            )
        return Curve("frequency", FREQUENCY_HZ, total)

    def values(self) -> list[tuple[str, str]]:
        return [(band.shape.replace("_", " "), band.value()) for band in self.bands]
