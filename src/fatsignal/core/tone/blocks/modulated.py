"""What the kinds with a wandering delay have in common: how it is drawn, and note values."""

from typing import Literal

import numpy as np

from fatsignal.core.tone.blocks.block import Curve

NoteValue = Literal["ms", "1/2", "1/4.", "1/4", "1/8.", "1/4t", "1/8", "1/8t", "1/16"]
# In quarters; a dot adds half, three of a triplet fill two.
QUARTERS: dict[str, float] = {
    "1/2": 2.0, "1/4.": 1.5, "1/4": 1.0, "1/8.": 0.75, "1/4t": 2 / 3, "1/8": 0.5, "1/8t": 1 / 3, "1/16": 0.25,
}  # fmt: skip


def note_s(note: str, ms: float, quarter_s: float) -> float:
    """A time that is told in ms or as a note value, in seconds."""
    return ms / 1000 if note == "ms" else QUARTERS[note] * quarter_s


def modulation_curve(rate_hz: float, delay_ms: float, depth_ms: float) -> Curve:
    """The delay over two turns of its wandering."""
    seconds = np.linspace(0, 2 / rate_hz, 96)
    return Curve("time", 1000 * seconds, delay_ms + depth_ms / 2 * np.sin(2 * np.pi * rate_hz * seconds), unit="ms")
