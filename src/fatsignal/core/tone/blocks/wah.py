"""A wah: a resonance that wanders, by hand, by how hard one plays, or by time.

References
----------
.. [1] V. Zavalishin, "The Art of VA Filter Design", rev. 2.1.2, 2018, ch. 4: the state variable filter with
   topology-preserving transform; its band-pass here, with a share of the low-pass, as the pedal's circuit lets through.
.. [2] U. Zölzer (ed.), "DAFX", 2nd ed., ch. 2.4.1: auto-wah by an envelope follower.
"""

import math
from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.delay_line import or_nothing
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, knob, setting

_LOW_SHARE = 0.12
_ATTACK_S = 0.004


class Wah(ToneBlock):
    """A resonance that wanders: by hand, by how hard one plays, or by time."""

    TITLE: ClassVar[str] = "Wah"
    GROUP: ClassVar[str] = "colour"
    # Its resonance moves with the playing; and at a higher rate it is what it is at every rate of a session.
    OVERSAMPLED: ClassVar[bool] = True

    kind: Literal["wah"] = "wah"
    moved_by: Literal["hand", "playing", "time"] = setting("playing", label="moved by")
    position: float = knob(5)
    low_hz: float = setting(380, label="lowest", unit="Hz", low=100, high=1500, step=1, even="ratios")
    high_hz: float = setting(1900, label="highest", unit="Hz", low=400, high=6000, step=1, even="ratios")
    q: float = setting(6, label="Q", low=1, high=20, step=0.1, even="ratios")
    sensitivity_db: float = setting(0, label="sensitivity", unit="dB", low=-24, high=24, step=0.5)
    release_ms: float = setting(180, label="falls back in", unit="ms", low=20, high=2000, step=1, even="ratios")
    rate_hz: float = setting(1.2, label="rate", unit="Hz", low=0.05, high=12, step=0.01, even="ratios")

    def runners(self, at: Operating) -> list[Runner]:
        return [WahRunner(self, at.rate_hz)]

    def curve(self) -> Curve:
        """Where it is by hand; else in the middle of its way."""
        place = self.position / 10 if self.moved_by == "hand" else 0.5
        centre_hz = self.low_hz * (self.high_hz / self.low_hz) ** place
        s = 1j * FREQUENCY_HZ / centre_hz
        response = (s + _LOW_SHARE) / (s**2 + s / self.q + 1)
        return Curve("frequency", FREQUENCY_HZ, 20 * np.log10(np.abs(response) + 1e-9))


class WahRunner:
    """A running wah."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, values: Wah, rate_hz: int) -> None:
        self._settings = (
            ("hand", "playing", "time").index(values.moved_by), values.position / 10, values.low_hz,
            math.log(values.high_hz / values.low_hz), 1 / values.q, 4.0 * 10 ** (values.sensitivity_db / 20),
            math.exp(-1 / (_ATTACK_S * rate_hz)), math.exp(-1000 / (values.release_ms * rate_hz)),
            values.rate_hz / rate_hz, math.pi / rate_hz,
        )  # fmt: skip
        # Both integrators, the envelope, the phase.
        self._state = np.zeros(4)

    def process(self, signal: Samples) -> Samples:
        """Filter `signal`, shape (frames,); state goes on."""
        return np.asarray(_run_wah(signal, self._state, *self._settings))


@kernel
def _run_wah(signal, state, moved_by, position, low_hz, span, damping, sensitivity, attack, release, turn, per_hz):
    """The filter of [1], its centre on a logarithmic way between two frequencies."""
    out = np.empty_like(signal)
    first, second, envelope, phase = state[0], state[1], state[2], state[3]
    for n in range(signal.size):
        x = signal[n]
        level = abs(x)
        smoothing = attack if level > envelope else release
        envelope = level + smoothing * (envelope - level)
        place = position
        if moved_by == 1:
            place = min(1.0, sensitivity * envelope)
        elif moved_by == 2:
            place = 0.5 - 0.5 * math.cos(2.0 * math.pi * phase)
        phase = (phase + turn) % 1.0
        g = math.tan(min(1.5, per_hz * low_hz * math.exp(span * place)))
        high = (x - (damping + g) * first - second) / (1.0 + g * (damping + g))
        band = g * high + first
        low = g * band + second
        first, second = or_nothing(g * high + band), or_nothing(g * band + low)
        out[n] = band + _LOW_SHARE * low
    state[0], state[1], state[2], state[3] = first, second, envelope, phase
    return out
