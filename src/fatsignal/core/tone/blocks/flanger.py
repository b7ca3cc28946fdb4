"""A flanger: a comb whose teeth wander.

References
----------
.. [1] J. O. Smith, "Physical Audio Signal Processing", W3K Publishing, 2010, "Flanging": a feedforward comb filter with
   a slowly varied delay, with feedback a comb of both kinds.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.delay_line import LEAST_FRAMES, or_nothing, read_line
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, setting

_LONGEST_MS = 15.0


class Flanger(ToneBlock):
    """A comb whose teeth wander."""

    TITLE: ClassVar[str] = "Flanger"
    GROUP: ClassVar[str] = "colour"

    kind: Literal["flanger"] = "flanger"
    rate_hz: float = setting(0.25, label="rate", unit="Hz", low=0.02, high=8, step=0.01, even="ratios")
    nearest_ms: float = setting(0.4, label="least delay", unit="ms", low=0.1, high=5, step=0.05, even="ratios")
    depth_ms: float = setting(4, label="depth", unit="ms", low=0, high=9, step=0.05)
    feedback: float = setting(40, unit="%", low=-90, high=90, step=1)
    mix: float = setting(50, label="wet share", unit="%", low=0, high=100, step=1)

    def runners(self, at: Operating) -> list[Runner]:
        return [FlangerRunner(self, at.rate_hz)]

    def curve(self) -> Curve:
        """In the middle of its way."""
        turn = np.exp(-2j * np.pi * FREQUENCY_HZ * (self.nearest_ms + self.depth_ms / 2) / 1000)
        share = self.mix / 100
        response = (1 - share) + share * turn / (1 - self.feedback / 100 * turn)
        return Curve("frequency", FREQUENCY_HZ, np.maximum(20 * np.log10(np.abs(response) + 1e-9), -40.0))


class FlangerRunner:
    """A running flanger."""

    STATE = ("_line", "_state")
    latency_frames = 0

    def __init__(self, values: Flanger, rate_hz: int) -> None:
        frames = rate_hz / 1000
        self._settings = (
            values.nearest_ms * frames, values.depth_ms * frames, values.rate_hz / rate_hz, values.feedback / 100,
            values.mix / 100,
        )  # fmt: skip
        self._line = np.zeros(math.ceil(_LONGEST_MS * frames) + 8)
        # The phase, and the place in the ring.
        self._state = np.zeros(2)

    def process(self, signal: Samples) -> Samples:
        """Run `signal`, shape (frames,); state goes on."""
        return np.asarray(_run_flanger(signal, self._line, self._state, *self._settings))


@kernel
def _run_flanger(signal, line, state, nearest, depth, turn, feedback, share):
    """w = x + f d;  d = w[n - (least + depth (1 - cos φ)/2)];  y = (1 - s) x + s d."""
    out = np.empty_like(signal)
    phase, place = state[0], int(state[1])
    for n in range(signal.size):
        # What is read now was written before: the newest is the one of the sample before.
        delay = max(LEAST_FRAMES, nearest + depth * (0.5 - 0.5 * math.cos(2.0 * math.pi * phase)))
        phase = (phase + turn) % 1.0
        wet = read_line(line, place, delay)
        line[place] = or_nothing(signal[n] + feedback * wet)
        out[n] = (1.0 - share) * signal[n] + share * wet
        place = (place + 1) % line.size
    state[0], state[1] = phase, float(place)
    return out
