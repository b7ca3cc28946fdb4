"""A distortion: an amplifier that drives diodes to ground, so that all above half a volt is cut off.

References
----------
.. [1] D. T. Yeh, J. S. Abel, J. O. Smith, "Simplified, physically-informed models of distortion and overdrive guitar
   effects pedals", DAFx 2007: a gain stage of an operational amplifier whose output ends at its supply, 2.2 kΩ, two
   diodes and 10 nF to ground. Values from memory.
.. [2] J. D. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing of nonlinear waveshaping using continuous-time
   convolution", DAFx 2016: half a sample late.
"""

import math
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit

# The supply's 4.5 V, less the knee before it.
_KNEE_V = 4.0
_LN_2 = math.log(2.0)


class HardClip(ToneBlock):
    """Diodes to ground: cuts off, hard and bright."""

    TITLE: ClassVar[str] = "Distortion"
    GROUP: ClassVar[str] = "drive"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("drive",)

    kind: Literal["hard_clip"] = "hard_clip"
    drive: float = knob(5)
    tone: float = knob(5)
    level: float = knob(5)
    diodes: Literal["silicon", "germanium", "light"] = setting("silicon")

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.circuit import transfer_function
        from fatsignal.core.amp.filters import RationalFilter
        from fatsignal.core.amp.junctions import DiodePair, JunctionCircuit
        from fatsignal.core.amp.tone_network import audio_taper
        from fatsignal.core.tone.gain import Gain

        pair = {
            "silicon": DiodePair(), "germanium": DiodePair(saturation_a=2e-7, emission=1.3),
            "light": DiodePair(saturation_a=1e-17, emission=1.9),
        }[self.diodes]  # fmt: skip
        gain = transfer_function(gain_stage(self.drive).discretise(rate_hz=at.rate_hz, outputs=["out"]))
        clipper = JunctionCircuit(clipper_circuit(), [pair], output="out", rate_hz=at.rate_hz)
        tone = transfer_function(_tone_circuit(self.tone).discretise(rate_hz=at.rate_hz, outputs=["out"]))
        return [
            RationalFilter(*gain), Rails(), clipper, RationalFilter(*tone), Gain(2 * audio_taper(self.level / 10)),
        ]  # fmt: skip

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))


class Rails:
    """An output that ends at its supply, with a knee of half a volt."""

    STATE = ("_before",)
    latency_frames = 0.5

    def __init__(self) -> None:
        self._before = np.zeros(1)

    def process(self, signal: Samples) -> Samples:
        return np.asarray(_to_the_rails(signal, self._before))


@kernel
def _rails(x):
    """x below 4 V, then towards 4.5 V as a hyperbolic tangent: no corner."""
    over = abs(x) - _KNEE_V
    return x if over <= 0.0 else math.copysign(_KNEE_V + 0.5 * math.tanh(2.0 * over), x)


@kernel
def _integral(x):
    """Of `_rails` from 0 to `x`."""
    over = abs(x) - _KNEE_V
    if over <= 0.0:
        return 0.5 * x * x
    log_cosh = 2.0 * over + math.log1p(math.exp(-4.0 * over)) - _LN_2
    return 0.5 * _KNEE_V * _KNEE_V + _KNEE_V * over + 0.25 * log_cosh


@kernel
def _to_the_rails(signal, before):
    """On the mean between two samples, by the integral [2]."""
    out = np.empty_like(signal)
    last = before[0]
    total_last = _integral(last)
    for n in range(signal.size):
        x = signal[n]
        total = _integral(x)
        # Nearer than that, the difference of the integrals would be mostly rounding.
        out[n] = (total - total_last) / (x - last) if abs(x - last) > 1e-3 else _rails(0.5 * (x + last))
        last, total_last = x, total
    before[0] = last
    return out


def gain_stage(drive: float) -> "Circuit":
    """A non-inverting stage: gain 1 + drive 1 MΩ / 4.7 kΩ between 40 Hz and the corner of its feedback."""
    from fatsignal.core.amp.circuit import Circuit
    from fatsignal.core.amp.tone_network import audio_taper

    net = Circuit()
    net.source("in")
    net.capacitor("in", "plus", 22e-9)
    net.resistor("plus", "0", 1e6)
    net.opamp("plus", "minus", "out")
    net.resistor("minus", "leg", 4.7e3)
    net.capacitor("leg", "0", 470e-9)
    net.resistor("out", "minus", 10e3 + audio_taper(drive / 10) * 990e3)
    net.capacitor("out", "minus", 33e-12)
    return net


def clipper_circuit() -> "Circuit":
    """2.2 kΩ into two diodes and 10 nF, loaded by the tone control."""
    from fatsignal.core.amp.circuit import Circuit

    net = Circuit()
    net.source("in")
    net.resistor("in", "out", 2.2e3)
    net.capacitor("out", "0", 10e-9)
    net.resistor("out", "0", 100e3)
    net.port("out", "0")
    return net


def _tone_circuit(tone: float) -> "Circuit":
    """Between a low-pass and a high-pass that meet around 800 Hz, where it is scooped."""
    from fatsignal.core.amp.circuit import Circuit

    share = min(max(tone / 10, 0.01), 0.99)
    net = Circuit()
    net.source("in")
    net.resistor("in", "low", 22e3)
    net.capacitor("low", "0", 10e-9)
    net.capacitor("in", "high", 4.7e-9)
    net.resistor("high", "0", 22e3)
    net.resistor("low", "out", share * 100e3)
    net.resistor("out", "high", (1 - share) * 100e3)
    net.resistor("out", "0", 1e6)
    return net
