"""An octave up: both halves of the wave on the same side, by diodes.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 4.3.3: full-wave rectification doubles the
   frequency; of a sine the second partial is 4/(3π) (its Fourier series).
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

# Diodes conduct from there on; before it the wave stays round.
_KNEE_V = 0.02
_LOW_CUT_HZ = 60.0


class Octave(ToneBlock):
    """Folds the wave over: an octave up, best on single notes."""

    TITLE: ClassVar[str] = "Octave up"
    GROUP: ClassVar[str] = "drive"
    OVERSAMPLED: ClassVar[bool] = True

    kind: Literal["octave"] = "octave"
    drive: float = knob(4)
    octave: float = setting(80, label="octave", unit="%", low=0, high=100, step=1)
    level: float = knob(5)

    def runners(self, at: Operating) -> list[Runner]:
        return [Folded(self, at.rate_hz)]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))


class Folded:
    """The running rectifier: driven, folded, without the direct voltage that folding makes."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Octave, rate_hz: int) -> None:
        self._settings = (
            10 ** (values.drive / 10 * 1.5), values.octave / 100, 2 * (81 ** (values.level / 10) - 1) / 80,
            math.exp(-2 * math.pi * _LOW_CUT_HZ / rate_hz),
        )  # fmt: skip
        # Input and output of the high-pass; begun at what folding gives of silence.
        self._state = np.array([0.0, 0.0])

    def process(self, signal: Samples) -> Samples:
        return np.asarray(_run_folded(signal, self._state, *self._settings))


@kernel
def _run_folded(signal, state, drive, share, level, pole):
    """x' = tanh(g x);  f = √(x'² + k²) - k;  y = high-pass of (1 - s) x' + s f."""
    out = np.empty_like(signal)
    last, held = state[0], state[1]
    for n in range(signal.size):
        x = math.tanh(drive * signal[n])
        folded = math.sqrt(x * x + _KNEE_V * _KNEE_V) - _KNEE_V
        mixed = (1.0 - share) * x + 2.0 * share * folded
        held = pole * (held + mixed - last)
        if -1e-12 < held < 1e-12:
            held = 0.0
        last = mixed
        out[n] = level * held
    state[0], state[1] = last, held
    return out
