"""A distortion: an amplifier that drives diodes to ground, so that all above half a volt is cut off.

References
----------
.. [1] D. T. Yeh, J. S. Abel, J. O. Smith, "Simplified, physically-informed models of distortion and overdrive guitar
   effects pedals", DAFx 2007: a gain stage of an operational amplifier whose output ends at its supply, 2.2 kΩ, two
   diodes and 10 nF to ground. Values from memory.
"""

import math
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.kernels import kernel
from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit

_SUPPLY_V = 4.5


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

    latency_frames = 0

    def process(self, signal: Samples) -> Samples:
        return np.asarray(_to_the_rails(signal))


@kernel
def _to_the_rails(signal):
    """y = x below 4 V, then towards 4.5 V as a hyperbolic tangent: no corner."""
    out = np.empty_like(signal)
    knee = _SUPPLY_V - 0.5
    for n in range(signal.size):
        size = abs(signal[n])
        if size > knee:
            size = knee + 0.5 * math.tanh((size - knee) / 0.5)
        out[n] = size if signal[n] >= 0.0 else -size
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
