"""The phase splitter: two triodes with one tail, into which what the loudspeaker gets is fed back.

References
----------
.. [1] O. H. Schmitt, "Cathode phase inversion", J. Sci. Instrum. 15(3), 1938: the pair with a common tail.
.. [2] H. S. Black, "Stabilized feedback amplifiers", Bell Syst. Tech. J. 13(1), 1934.
"""

from dataclasses import dataclass

from fatsignal.core.amp.circuit import Circuit
from fatsignal.core.amp.tone_network import audio_taper

# A wiper never reaches the very end of its track; this also keeps the nodal matrix regular.
_TRACK_END = 1e-3


@dataclass(frozen=True, slots=True)
class Splitter:
    """Ohm and farad of the pair and of what is fed back; values of common practice, without a source.

    `feedback_ohm` is from the 8 Ω tap of the output to the foot of the tail; without it nothing is fed back.
    """

    plate_a_ohm: float = 82e3
    plate_b_ohm: float = 100e3
    bias_ohm: float = 470.0
    tail_ohm: float = 10e3
    foot_ohm: float = 4_700.0
    feedback_ohm: float | None = 100e3
    presence_ohm: float = 22e3
    presence_farad: float = 100e-9
    depth_ohm: float = 1e6
    depth_farad: float = 4.7e-9
    coupling_farad: float = 22e-9
    leak_ohm: float = 220e3
    stopper_ohm: float = 5.6e3
    snubber_farad: float = 100e-12
    supply_v: float = 330.0


def splitter_circuit(values: Splitter, *, level: float, presence: float, depth: float) -> Circuit:
    """The pair between the level control and both power grids; knobs run from 0 to 1.

    Sources: the signal, the supply, what is fed back. Ports: both triodes, then both power grids (against ground; their
    bias is added by whoever runs it).
    """
    net = Circuit()
    net.source("in")
    net.source("supply")
    net.source("back")
    add_level(net, level)
    net.capacitor("level", "grid a", 22e-9)
    net.resistor("grid a", "tail", 1e6)
    net.resistor("grid a", "stopped", 10e3)
    net.capacitor("stopped", "0", 60e-12, stiff=True)
    net.resistor("cathodes", "tail", values.bias_ohm)
    net.resistor("tail", "foot", values.tail_ohm)
    net.capacitor("grid b", "foot", 100e-9)
    net.resistor("grid b", "tail", 1e6)
    net.resistor("foot", "0", values.foot_ohm)
    if values.feedback_ohm is None:
        # Nothing comes back: the foot stands on the ground for what is played.
        net.capacitor("foot", "0", 1e-3)
        net.resistor("back", "0", 1e3)
    else:
        # Presence takes the highs away from what comes back, depth the lows: both are then less held down.
        net.resistor("foot", "presence", max(1.0 - presence, _TRACK_END) * values.presence_ohm)
        net.capacitor("presence", "0", values.presence_farad)
        net.resistor("back", "deep", values.feedback_ohm)
        net.resistor("deep", "foot", max(audio_taper(depth), 1e-4) * values.depth_ohm)
        net.capacitor("deep", "foot", values.depth_farad)
    net.resistor("supply", "plate a", values.plate_a_ohm)
    net.resistor("supply", "plate b", values.plate_b_ohm)
    net.capacitor("plate a", "plate b", values.snubber_farad)
    net.triode("stopped", "plate a", "cathodes")
    net.triode("grid b", "plate b", "cathodes")
    for side in ("a", "b"):
        _add_power_grid(net, f"plate {side}", f"power {side}", values)
    return net


def single_circuit(values: Splitter, *, level: float) -> Circuit:
    """Without a splitter: the level control straight to one power grid, the only port."""
    net = Circuit()
    net.source("in")
    net.source("supply")
    net.source("back")
    net.resistor("supply", "0", 1e6)
    net.resistor("back", "0", 1e6)
    add_level(net, level)
    _add_power_grid(net, "level", "power a", values)
    return net


def add_level(net: Circuit, level: float) -> None:
    """A 1 MΩ audio-taper control between the node ``in`` and ``level``."""
    share = min(max(audio_taper(level), 1e-4), 1 - 1e-4)
    net.resistor("in", "level", (1 - share) * 1e6)
    net.resistor("level", "0", share * 1e6)


def _add_power_grid(net: Circuit, source: str, grid: str, values: Splitter) -> None:
    net.capacitor(source, f"{grid} leak", values.coupling_farad)
    net.resistor(f"{grid} leak", "0", values.leak_ohm)
    net.resistor(f"{grid} leak", grid, values.stopper_ohm)
    net.port(grid, "0")
