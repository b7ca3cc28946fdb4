"""A gate: closes between the notes."""

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from fatsignal.core.tone.blocks.block import LEVEL_DBV, Curve, Operating, Runner, ToneBlock, setting


class Gate(ToneBlock):
    """Closes between the notes."""

    TITLE: ClassVar[str] = "Gate"
    GROUP: ClassVar[str] = "dynamics"

    kind: Literal["gate"] = "gate"
    threshold_dbv: float = setting(-50, label="threshold", unit="dBV", low=-100, high=0, step=0.5)
    release_ms: float = setting(90, label="release", unit="ms", low=5, high=2000, step=1, even="ratios")

    @model_validator(mode="before")
    @classmethod
    def _from_full_scale(cls, document: Any) -> Any:
        """Of an amp's block, whose full scale was one volt; a tone's is brought up by the tone."""
        if isinstance(document, dict) and "threshold_dbfs" in document:
            values = {name: value for name, value in document.items() if name != "threshold_dbfs"}
            return {**values, "threshold_dbv": document["threshold_dbfs"]}
        return document

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.gate import GateRunner

        return [GateRunner(threshold_dbv=self.threshold_dbv, release_ms=self.release_ms, rate_hz=at.rate_hz)]

    def curve(self) -> Curve:
        level = LEVEL_DBV - 20
        return Curve("level", level, np.where(self.threshold_dbv <= level, level, level[0]))
