"""How anything that is checked turned out."""

from typing import Literal

# All is well; worth a look; a take or a device is at stake.
Verdict = Literal["good", "look", "fix"]
