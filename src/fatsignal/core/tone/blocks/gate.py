"""A gate: closes between the notes."""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.tone.blocks.block import LEVEL_DBFS, Curve, Operating, Runner, ToneBlock, setting


class Gate(ToneBlock):
    """Closes between the notes."""

    TITLE: ClassVar[str] = "Gate"

    kind: Literal["gate"] = "gate"
    threshold_dbfs: float = setting(-60, label="threshold", unit="dB", low=-100, high=-10, step=0.5)
    release_ms: float = setting(90, label="release", unit="ms", low=5, high=2000, step=1, even="ratios")

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.gate import GateRunner

        threshold_dbv = self.threshold_dbfs + 20 * math.log10(at.full_scale_v)
        return [GateRunner(threshold_dbfs=threshold_dbv, release_ms=self.release_ms, rate_hz=at.rate_hz)]

    def curve(self, full_scale_v: float) -> Curve:
        level = LEVEL_DBFS - 20
        return Curve("level", level, np.where(self.threshold_dbfs <= level, level, -74.0))
