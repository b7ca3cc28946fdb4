"""A fuzz: two transistors, the second feeding its emitter's voltage back to the first; both saturate.

The circuit that most fuzzes share: it has no headroom, its bias moves with what is played, and where its supply is
starved it splutters and cuts notes short.

References
----------
.. [1] J. J. Ebers, J. L. Moll, "Large-signal behavior of junction transistors", Proc. IRE 42(12), 1954; values of
   common practice, no source.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit

_SUPPLY_V = 9.0


class Fuzz(ToneBlock):
    """Two transistors that saturate; starved, they splutter."""

    TITLE: ClassVar[str] = "Fuzz"
    GROUP: ClassVar[str] = "drive"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("drive",)

    kind: Literal["fuzz"] = "fuzz"
    drive: float = knob(8)
    level: float = knob(5)
    starve: float = knob(0)
    input: float = knob(10)

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.junctions import JunctionCircuit, Npn
        from fatsignal.core.amp.tone_network import audio_taper
        from fatsignal.core.tone.gain import Gain

        supply_v = _SUPPLY_V - 0.72 * self.starve
        circuit = JunctionCircuit(
            fuzz_circuit(self.drive, self.input), [Npn(forward_gain=90), Npn(forward_gain=130)], output="out",
            rate_hz=at.rate_hz, supplies_v=[supply_v],
        )  # fmt: skip
        return [circuit, Gain(0.6 * audio_taper(self.level / 10))]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))


def fuzz_circuit(drive: float, input_knob: float = 10.0) -> "Circuit":
    """The signal and the supply; junctions base-emitter and base-collector of the first, then of the second."""
    from fatsignal.core.amp.circuit import Circuit

    share = min(max(drive / 10, 0.01), 0.99)
    net = Circuit()
    net.source("in")
    net.source("supply")
    net.resistor("in", "source", 5e3 + 25e3 * (1 - input_knob / 10))
    net.capacitor("source", "base", 2.2e-6)
    net.resistor("base", "emitter", 100e3)
    net.resistor("supply", "middle", 33e3)
    net.port("base", "0")
    net.port("base", "middle")
    net.resistor("supply", "tap", 330)
    net.resistor("tap", "collector", 4.7e3)
    net.port("middle", "emitter")
    net.port("middle", "collector")
    # The control moves how much of the emitter's resistance the large capacitor bridges.
    net.resistor("emitter", "wiper", (1 - share) * 1e3)
    net.resistor("wiper", "0", share * 1e3)
    net.capacitor("wiper", "0", 20e-6)
    net.capacitor("collector", "out", 10e-9)
    net.resistor("out", "0", 500e3)
    return net
