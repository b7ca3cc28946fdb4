"""An octave up: both halves of the wave on the same side, by diodes.

References
----------
.. [1] U. Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed., ch. 4.3.3: full-wave rectification doubles the
   frequency; of a sine the second partial is 4/(3π) (its Fourier series).
.. [2] J. D. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing of nonlinear waveshaping using continuous-time
   convolution", DAFx 2016: the mean between two samples by the integral of a curve, half a sample late.
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
# Nearer than that, a curve is read in the middle: a difference of its integral would be mostly rounding.
_NEAR = 1e-4
_LN_2 = math.log(2.0)


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
    latency_frames = 0.5

    def __init__(self, values: Octave, rate_hz: int) -> None:
        self._settings = (
            10 ** (values.drive / 10 * 1.5), values.octave / 100, 2 * (81 ** (values.level / 10) - 1) / 80,
            math.exp(-2 * math.pi * _LOW_CUT_HZ / rate_hz),
        )  # fmt: skip
        # What was folded last, what the high-pass gave for it, and what went in, driven.
        self._state = np.array([0.0, 0.0, 0.0])

    def process(self, signal: Samples) -> Samples:
        return np.asarray(_run_folded(signal, self._state, *self._settings))


@kernel
def _folded(u, share):
    """x = tanh u;  f = √(x² + k²) - k;  (1 - s) x + 2 s f."""
    x = math.tanh(u)
    return (1.0 - share) * x + 2.0 * share * (math.sqrt(x * x + _KNEE_V * _KNEE_V) - _KNEE_V)


@kernel
def _integral(u, share):
    """Of `_folded` from 0 to `u`.

    With x = tanh u, r = √(x² + k²), c = √(1 + k²), for u ≥ 0: ∫ r du = c artanh(c x / r) - arsinh(x / k), and
    artanh w = ln(1 + w) + ln(r / k) + ln cosh u here, which does not lose itself where x comes near 1.
    """
    size = abs(u)
    x = math.tanh(size)
    log_cosh = size + math.log1p(math.exp(-2.0 * size)) - _LN_2
    root, end = math.sqrt(x * x + _KNEE_V * _KNEE_V), math.sqrt(1.0 + _KNEE_V * _KNEE_V)
    folded = end * (math.log1p(end * x / root) + math.log(root / _KNEE_V) + log_cosh) - math.asinh(x / _KNEE_V)
    folded -= _KNEE_V * size
    return (1.0 - share) * log_cosh + 2.0 * share * (folded if u >= 0.0 else -folded)


@kernel
def _run_folded(signal, state, drive, share, level, pole):
    """u = g x, folded on the mean between two samples [2], then y = high-pass of it."""
    out = np.empty_like(signal)
    last, held, before = state
    total_before = _integral(before, share)
    for n in range(signal.size):
        u = drive * signal[n]
        total = _integral(u, share)
        far = abs(u - before) > _NEAR
        mixed = (total - total_before) / (u - before) if far else _folded(0.5 * (u + before), share)
        before, total_before = u, total
        held = pole * (held + mixed - last)
        if -1e-12 < held < 1e-12:
            held = 0.0
        last = mixed
        out[n] = level * held
    state[0], state[1], state[2] = last, held, before
    return out
