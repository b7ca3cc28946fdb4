"""A phaser: notches that wander, made by a row of allpasses added to what came in.

References
----------
.. [1] J. O. Smith, "Physical Audio Signal Processing", W3K Publishing, 2010, "Phasing with first-order allpass
   filters": 2 M allpasses in a row give M notches, where their phases add up to odd multiples of 180 degrees.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.delay_line import or_nothing
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, setting


class Phaser(ToneBlock):
    """Notches that wander through the sound."""

    TITLE: ClassVar[str] = "Phaser"
    GROUP: ClassVar[str] = "colour"
    # Its notches move; and at a higher rate they lie where they do at every rate of a session.
    OVERSAMPLED: ClassVar[bool] = True

    kind: Literal["phaser"] = "phaser"
    stages: Literal["2", "4", "6", "8", "12"] = setting("4", label="allpasses")
    rate_hz: float = setting(0.5, label="rate", unit="Hz", low=0.02, high=12, step=0.01, even="ratios")
    low_hz: float = setting(200, label="lowest", unit="Hz", low=50, high=1500, step=1, even="ratios")
    high_hz: float = setting(2400, label="highest", unit="Hz", low=300, high=10_000, step=1, even="ratios")
    feedback: float = setting(20, unit="%", low=0, high=90, step=1)
    mix: float = setting(50, label="wet share", unit="%", low=0, high=100, step=1)

    def runners(self, at: Operating) -> list[Runner]:
        return [PhaserRunner(self, at.rate_hz)]

    def curve(self) -> Curve:
        """In the middle of its way."""
        centre_hz = math.sqrt(self.low_hz * self.high_hz)
        s = 1j * FREQUENCY_HZ / centre_hz
        row = ((1 - s) / (1 + s)) ** int(self.stages)
        share = self.mix / 100
        response = (1 - share) + share * row / (1 - self.feedback / 100 * row)
        return Curve("frequency", FREQUENCY_HZ, np.maximum(20 * np.log10(np.abs(response) + 1e-9), -40.0))


class PhaserRunner:
    """A running phaser."""

    STATE = ("_states", "_state")
    latency_frames = 0

    def __init__(self, values: Phaser, rate_hz: int) -> None:
        self._settings = (
            values.low_hz, math.log(values.high_hz / values.low_hz), values.rate_hz / rate_hz, math.pi / rate_hz,
            values.feedback / 100, values.mix / 100,
        )  # fmt: skip
        self._states = np.zeros(int(values.stages))
        # The phase, and what the row gave last.
        self._state = np.zeros(2)

    def process(self, signal: Samples) -> Samples:
        """Filter `signal`, shape (frames,); state goes on."""
        return np.asarray(_run_phaser(signal, self._states, self._state, *self._settings))


@kernel
def _run_phaser(signal, states, state, low_hz, span, turn, per_hz, feedback, share):
    """Each allpass, turned over: y = c x - s,  s = x - c y;  c = (1 - t)/(1 + t), t = tan of where it turns by 90°."""
    out = np.empty_like(signal)
    phase, last = state[0], state[1]
    for n in range(signal.size):
        place = 0.5 - 0.5 * math.cos(2.0 * math.pi * phase)
        phase = (phase + turn) % 1.0
        tangent = math.tan(min(1.5, per_hz * low_hz * math.exp(span * place)))
        c = (1.0 - tangent) / (1.0 + tangent)
        wet = signal[n] + feedback * last
        for k in range(states.size):
            x = wet
            wet = c * x - states[k]
            states[k] = or_nothing(x - c * wet)
        # An even number of turned allpasses is as many that are not.
        last = or_nothing(wet)
        out[n] = (1.0 - share) * signal[n] + share * wet
    state[0], state[1] = phase, last
    return out
