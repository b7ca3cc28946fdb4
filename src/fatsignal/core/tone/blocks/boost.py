"""A boost: one transistor that lifts what the amp gets, all of it or the highs.

References
----------
.. [1] J. J. Ebers, J. L. Moll, "Large-signal behavior of junction transistors", Proc. IRE 42(12), 1954: a common
   emitter between a divider and a collector control; what the input capacitor lets through decides what is lifted.
   Values of common practice, no source.
"""

from typing import TYPE_CHECKING, ClassVar, Literal

from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit

_INPUT_FARAD = {"all": 470e-9, "middle": 15e-9, "treble": 4.7e-9}


class Boost(ToneBlock):
    """One transistor that lifts all, the middle or the treble into what follows."""

    TITLE: ClassVar[str] = "Boost"
    GROUP: ClassVar[str] = "drive"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("level",)

    kind: Literal["boost"] = "boost"
    lifts: Literal["all", "middle", "treble"] = setting("treble")
    level: float = knob(6)

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.junctions import JunctionCircuit, Npn

        return [
            JunctionCircuit(
                boost_circuit(self.lifts, self.level), [Npn(forward_gain=180)], output="out", rate_hz=at.rate_hz,
                supplies_v=[9.0],
            )
        ]  # fmt: skip

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))


def boost_circuit(lifts: str, level: float) -> "Circuit":
    """The signal and the supply; junctions base-emitter and base-collector."""
    from fatsignal.core.amp.circuit import Circuit

    share = min(max(level / 10, 0.01), 0.99)
    net = Circuit()
    net.source("in")
    net.source("supply")
    net.resistor("in", "source", 1e3)
    net.capacitor("source", "base", _INPUT_FARAD[lifts])
    net.resistor("supply", "base", 470e3)
    net.resistor("base", "0", 100e3)
    net.port("base", "emitter")
    net.port("base", "collector")
    net.resistor("emitter", "0", 3.9e3)
    net.resistor("emitter", "by", 330)
    net.capacitor("by", "0", 22e-6)
    net.resistor("supply", "wiper", share * 10e3)
    net.resistor("wiper", "collector", (1 - share) * 10e3)
    net.capacitor("wiper", "out", 22e-9)
    net.resistor("out", "0", 500e3)
    return net
