"""How a print is made: what may differ between two prints of the same take through the same tone."""

import hashlib
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from fatsignal.core.level.depth import Depth
from fatsignal.core.tone.voltage import DiVoltage

LONGEST_TAIL_S = 30.0
Rate = Literal[44_100, 48_000, 88_200, 96_000, 176_400, 192_000]


class PrintSettings(BaseModel):
    """Settings of a batch. What a tone lets ring after the last dry sample lies in the print for `tail_s` at most."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    oversample: Literal[1, 2, 4, 8] | None = Field(None, description="The tone's own where there is none.")
    depth: Depth = "24"
    tail_s: float = Field(0.0, ge=0, le=LONGEST_TAIL_S)
    rate_hz: Rate | None = Field(
        None, description="A second file of the same sound at this rate, beside the one at the session's rate."
    )

    def of_session(self, rate_hz: int) -> "PrintSettings":
        """The same in a session of a rate, where a second file of that rate would be the first once more."""
        return self.model_copy(update={"rate_hz": None}) if self.rate_hz == rate_hz else self

    def fingerprint(self, voltage: DiVoltage) -> str:
        """Another as soon as the bytes would be: of the settings, and of what the dry samples stand for."""
        # Prints that were made before there was a second rate are those without one.
        mine = self.model_dump_json(exclude=None if self.rate_hz else {"rate_hz"})
        told = f"{mine} {voltage.full_scale_v:.6g} {voltage.inverted}"
        return hashlib.sha256(told.encode()).hexdigest()[:16]
