"""Level at the end of a tone."""

from typing import ClassVar, Literal

from fatsignal.core.tone.blocks.block import NO_CURVE, Curve, Operating, Runner, ToneBlock, setting
from fatsignal.core.tone.gain import Gain


class Trim(ToneBlock):
    """Level at the end."""

    TITLE: ClassVar[str] = "Trim"
    GROUP: ClassVar[str] = "level"

    kind: Literal["trim"] = "trim"
    gain_db: float = setting(0, label="out", unit="dB", low=-60, high=40, step=0.1)

    def runners(self, at: Operating) -> list[Runner]:
        return [Gain(10 ** (self.gain_db / 20))]

    def curve(self) -> Curve:
        return NO_CURVE

    def values(self) -> list[tuple[str, str]]:
        return [("out", f"{self.gain_db:+g} dB")]
