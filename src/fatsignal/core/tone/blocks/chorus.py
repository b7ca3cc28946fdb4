"""Chorus and vibrato: a copy whose delay wanders, so that its pitch does.

References
----------
.. [1] J. Dattorro, "Effect design, part 2: delay-line modulation and chorus", J. Audio Eng. Soc. 45(10), 1997.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.delay_line import LEAST_FRAMES, read_line
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import Channels, Curve, Operating, Step, ToneBlock, setting, widened
from fatsignal.core.tone.blocks.modulated import modulation_curve

_LONGEST_MS = 45.0


class Chorus(ToneBlock):
    """Copies whose pitch wanders a little; the wet copy alone is a vibrato."""

    TITLE: ClassVar[str] = "Chorus"
    GROUP: ClassVar[str] = "colour"

    kind: Literal["chorus"] = "chorus"
    rate_hz: float = setting(0.8, label="rate", unit="Hz", low=0.05, high=12, step=0.01, even="ratios")
    depth_ms: float = setting(2.5, label="depth", unit="ms", low=0.05, high=12, step=0.05, even="ratios")
    delay_ms: float = setting(12, label="delay", unit="ms", low=1, high=30, step=0.1)
    mix: float = setting(50, label="wet share", unit="%", low=0, high=100, step=1)
    wide: bool = setting(False, label="stereo")

    def steps(self, at: Operating, channels: int) -> list[Step]:
        return [ChorusStep(self, at.rate_hz, channels)]

    def curve(self) -> Curve:
        return modulation_curve(self.rate_hz, self.delay_ms, self.depth_ms)


class ChorusStep:
    """A running chorus. In stereo its two sides wander a quarter of a turn apart."""

    STATE = ("_line", "_state")
    latency_frames = 0

    def __init__(self, values: Chorus, rate_hz: int, channels: int) -> None:
        self.channels_out = 2 if values.wide else channels
        frames = rate_hz / 1000
        self._settings = (
            values.delay_ms * frames, min(values.depth_ms, values.delay_ms - 0.5) * frames / 2,
            values.rate_hz / rate_hz, values.mix / 100,
        )  # fmt: skip
        self._line = np.zeros((self.channels_out, math.ceil(_LONGEST_MS * frames) + 8))
        # For each side the phase, and the place in the ring.
        self._state = np.zeros((self.channels_out, 2))
        if values.wide:
            self._state[1, 0] = 0.25

    def process(self, channels: Channels) -> Channels:
        """Run the channels; state goes on."""
        return tuple(
            np.asarray(_run_chorus(signal, self._line[side], self._state[side], *self._settings))
            for side, signal in enumerate(widened(channels, self.channels_out))
        )


@kernel
def _run_chorus(signal, line, state, delay, depth, turn, share):
    """y = (1 - s) x + s x[n - d - m sin φ]."""
    out = np.empty_like(signal)
    phase, place = state[0], int(state[1])
    for n in range(signal.size):
        line[place] = signal[n]
        at = max(LEAST_FRAMES, delay + depth * math.sin(2.0 * math.pi * phase))
        phase = (phase + turn) % 1.0
        out[n] = (1.0 - share) * signal[n] + share * read_line(line, place, at)
        place = (place + 1) % line.size
    state[0], state[1] = phase, float(place)
    return out
