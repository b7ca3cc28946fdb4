"""An overdrive: an amplifier with diodes in its feedback, so that what is over half a volt is rounded off.

References
----------
.. [1] D. T. Yeh, J. S. Abel, J. O. Smith, "Simplified, physically-informed models of distortion and overdrive guitar
   effects pedals", DAFx 2007: the non-inverting stage with diodes and a small capacitor over its feedback resistor, and
   a corner of 720 Hz before it: the lows pass undriven, which is what makes it mid-forward. Values from memory.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit

_FEEDBACK_OHM, _DRIVE_OHM = 51e3, 500e3


class SoftClip(ToneBlock):
    """Diodes in an amplifier's feedback: rounds off, keeps the lows clean."""

    TITLE: ClassVar[str] = "Overdrive"
    GROUP: ClassVar[str] = "drive"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("drive",)

    kind: Literal["soft_clip"] = "soft_clip"
    drive: float = knob(5)
    tone: float = knob(5)
    level: float = knob(5)
    diodes: Literal["even", "uneven"] = setting("even")

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.filters import RationalFilter
        from fatsignal.core.amp.junctions import JunctionCircuit
        from fatsignal.core.amp.tone_network import audio_taper
        from fatsignal.core.tone.gain import Gain

        clipper = JunctionCircuit(clipping_stage(self.drive), [_pair(self.diodes)], output="out", rate_hz=at.rate_hz)
        return [clipper, RationalFilter(*_tone_filter(self.tone, at.rate_hz)), Gain(2 * audio_taper(self.level / 10))]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))


def _pair(diodes: str):  # type: ignore[no-untyped-def]
    from fatsignal.core.amp.junctions import DiodePair

    return DiodePair(uneven=2 if diodes == "uneven" else 1)


def clipping_stage(drive: float) -> "Circuit":
    """Input coupling, then the stage: gain 1 + (51 kΩ + drive) / 4.7 kΩ above 720 Hz, the diodes over the feedback."""
    from fatsignal.core.amp.circuit import Circuit
    from fatsignal.core.amp.tone_network import audio_taper

    net = Circuit()
    net.source("in")
    net.capacitor("in", "plus", 1e-6)
    net.resistor("plus", "0", 510e3)
    net.opamp("plus", "minus", "out")
    net.resistor("minus", "leg", 4.7e3)
    net.capacitor("leg", "0", 47e-9)
    net.resistor("out", "minus", _FEEDBACK_OHM + audio_taper(drive / 10) * _DRIVE_OHM)
    net.capacitor("out", "minus", 51e-12)
    net.port("out", "minus")
    return net


def _tone_filter(tone: float, rate_hz: int):  # type: ignore[no-untyped-def]
    """A low-pass at 720 Hz, opened upwards by the control to some 6 kHz: 1 kΩ and 220 nF, less the control's share."""
    from fatsignal.core.amp.circuit import Circuit, transfer_function

    net = Circuit()
    net.source("in")
    net.resistor("in", "out", 1e3)
    net.resistor("out", "leg", 30 + 220 * (tone / 10) ** 3 * 20)
    net.capacitor("leg", "0", 220e-9)
    net.resistor("out", "0", 10e3)
    return transfer_function(net.discretise(rate_hz=rate_hz, outputs=["out"]))
