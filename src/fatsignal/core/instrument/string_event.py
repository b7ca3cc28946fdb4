"""What a hand does to a string."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class StringEvent:
    """What happens to a string at a frame: it is plucked at a pitch, or damped."""

    frame: int
    frequency_hz: float
    force: float  # 0 to 1; harder is louder and brighter
    decay_s: float  # time to −60 dB of the fundamental
    brightness: float  # 0 to 1; how slowly the upper partials die
    pluck: bool  # False: only the damping changes, as when a finger lifts
