"""How a print is made: what may differ between two prints of the same take through the same tone."""

import hashlib
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.level.depth import Depth
from fatsignal.core.tone.voltage import DiVoltage

LONGEST_TAIL_S = 30.0


class PrintSettings(BaseModel):
    """Settings of a batch. What a tone lets ring after the last dry sample lies in the print for `tail_s` at most."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    oversample: Literal[1, 2, 4, 8] | None = Field(None, description="The tone's own where there is none.")
    depth: Depth = "24"
    tail_s: float = Field(0.0, ge=0, le=LONGEST_TAIL_S)

    def fingerprint(self, voltage: DiVoltage) -> str:
        """Another as soon as the bytes would be: of the settings, and of what the dry samples stand for."""
        told = f"{self.model_dump_json()} {voltage.full_scale_v:.6g} {voltage.inverted}"
        return hashlib.sha256(told.encode()).hexdigest()[:16]
