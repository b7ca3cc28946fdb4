"""What a tone may be made for."""

from typing import Literal

For = Literal["guitar", "baritone", "bass", "acoustic"]


def instrument_of(name: str) -> For:
    """The kind of an instrument as tones tell it: of a baritone guitar "baritone"."""
    for word in ("baritone", "bass", "acoustic"):
        if word in name:
            return word
    return "guitar"
