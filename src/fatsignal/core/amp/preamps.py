"""Preamps as circuits: what stands between the jack and the power stage, drawn part by part.

Values are of common practice, named for what they do, without a source; supplies are ideal.
"""

from dataclasses import dataclass, replace
from typing import Literal

from fatsignal.core.amp.circuit import Circuit
from fatsignal.core.amp.tone_network import NetworkValues, add_network, audio_taper
from fatsignal.core.amp.valve import HIGH_MU
from fatsignal.core.amp.valve_chain import ValveCircuit

PreampKind = Literal["small clean", "big clean", "follower cascade", "cold high gain"]
# A wiper never reaches the very end of its track; this also keeps the nodal matrix regular.
_TRACK_END = 1e-4


@dataclass(frozen=True, slots=True)
class Knobs:
    """Where the controls stand, each from 0 to 1."""

    gain: float
    bass: float
    middle: float
    treble: float
    bright: bool


@dataclass(frozen=True, slots=True)
class Stage:
    """A common-cathode triode and what belongs to it; ohm and farad."""

    stopper_ohm: float = 34e3
    miller_farad: float = 150e-12
    plate_ohm: float = 100e3
    cathode_ohm: float = 1500.0
    cathode_farad: float | None = 22e-6

    def add_to(self, net: Circuit, number: int, source: str) -> str:
        """Draw it behind a node; returns its plate."""
        grid, plate, cathode = (f"{name} {number}" for name in ("grid", "plate", "cathode"))
        net.resistor(source, grid, self.stopper_ohm)
        net.capacitor(grid, "0", self.miller_farad, stiff=True)
        net.resistor("supply", plate, self.plate_ohm)
        net.resistor(cathode, "0", self.cathode_ohm)
        if self.cathode_farad is not None:
            net.capacitor(cathode, "0", self.cathode_farad)
        net.triode(grid, plate, cathode)
        return plate


# Behind the jack: 68 kΩ, and the input capacitance of a triode that amplifies some sixty times.
FIRST = Stage(stopper_ohm=68e3, miller_farad=110e-12)

SCOOPED = NetworkValues(
    source_ohm=1.0, slope_ohm=100e3, treble_farad=250e-12, bass_farad=100e-9, middle_farad=47e-9, middle_ohm=10e3,
    bass_ohm=250e3,
)  # fmt: skip
SMALL = replace(SCOOPED, bass_farad=47e-9, middle_farad=22e-9)
FOLLOWED = NetworkValues(
    source_ohm=100.0, slope_ohm=33e3, treble_farad=470e-12, bass_farad=22e-9, middle_farad=22e-9, middle_ohm=25e3,
)  # fmt: skip


def preamp(kind: PreampKind, knobs: Knobs) -> ValveCircuit:
    """A preamp with its controls as they stand."""
    match kind:
        case "small clean":
            return _clean(knobs, SMALL, supply_v=250.0, has_middle=False)
        case "big clean":
            return _clean(knobs, SCOOPED, supply_v=320.0, has_middle=True)
        case "follower cascade":
            return _cascade(knobs)
        case "cold high gain":
            return _high_gain(knobs)


def jack() -> Circuit:
    """Signal and supply, and the grid leak of the first stage behind the node ``jack``."""
    net = Circuit()
    net.source("in")
    net.source("supply")
    net.resistor("in", "coupled", 1e3)
    net.capacitor("coupled", "jack", 1e-6)
    net.resistor("jack", "0", 1e6)
    return net


def gain_control(net: Circuit, plate: str, gain: float, *, coupling_farad: float, bright_farad: float | None) -> str:
    """Coupling capacitor and a 1 MΩ audio-taper control behind a plate; returns its wiper."""
    net.capacitor(plate, "gain", coupling_farad)
    share = min(max(audio_taper(gain), _TRACK_END), 1 - _TRACK_END)
    net.resistor("gain", "wiper", (1 - share) * 1e6)
    net.resistor("wiper", "0", share * 1e6)
    if bright_farad is not None:
        net.capacitor("gain", "wiper", bright_farad)
    return "wiper"


def divided(net: Circuit, plate: str, number: int, *, coupling_farad: float, upper_ohm: float, lower_ohm: float) -> str:
    """Coupling capacitor and two resistors behind a plate; returns what lies between them."""
    net.capacitor(plate, f"coupled {number}", coupling_farad)
    net.resistor(f"coupled {number}", f"divided {number}", upper_ohm)
    net.resistor(f"divided {number}", "0", lower_ohm)
    return f"divided {number}"


def taken_off(net: Circuit, plate: str) -> str:
    """What a plate gives to whatever follows: a coupling capacitor and its load."""
    net.capacitor(plate, "out", 22e-9)
    net.resistor("out", "0", 1e6)
    return "out"


def _clean(knobs: Knobs, network: NetworkValues, *, supply_v: float, has_middle: bool) -> ValveCircuit:
    """Two stages with the tone network and the volume between them."""
    net = jack()
    plate = FIRST.add_to(net, 1, "jack")
    # Where there is no middle control, a resistor stands in its place.
    middle = knobs.middle if has_middle else 0.68
    add_network(net, network, plate, "toned", treble=knobs.treble, middle=middle, bass=knobs.bass)
    share = min(max(audio_taper(knobs.gain), _TRACK_END), 1 - _TRACK_END)
    net.resistor("toned", "wiper", (1 - share) * 1e6)
    net.resistor("wiper", "0", share * 1e6)
    if knobs.bright:
        net.capacitor("toned", "wiper", 120e-12)
    plate = Stage(stopper_ohm=1e3).add_to(net, 2, "wiper")
    return ValveCircuit(net, (HIGH_MU,) * 2, taken_off(net, plate), supply_v)


def _cascade(knobs: Knobs) -> ValveCircuit:
    """Two stages with the gain between them; the second feeds a cathode follower that drives the tone network."""
    net = jack()
    plate = Stage(stopper_ohm=68e3, miller_farad=110e-12, cathode_ohm=2700.0, cathode_farad=680e-9).add_to(
        net, 1, "jack"
    )
    wiper = gain_control(net, plate, knobs.gain, coupling_farad=22e-9, bright_farad=470e-12 if knobs.bright else None)
    plate = Stage(stopper_ohm=100e3, cathode_ohm=820.0, cathode_farad=None).add_to(net, 2, wiper)
    return _followed(net, plate, knobs, stages=3)


def _high_gain(knobs: Knobs) -> ValveCircuit:
    """Three stages, of which the second stands so cold that it cuts off half of what it gets; then as in a cascade."""
    net = jack()
    plate = Stage(stopper_ohm=68e3, miller_farad=110e-12, cathode_ohm=1800.0, cathode_farad=1e-6).add_to(net, 1, "jack")
    wiper = gain_control(net, plate, knobs.gain, coupling_farad=10e-9, bright_farad=470e-12 if knobs.bright else None)
    plate = Stage(stopper_ohm=100e3, cathode_ohm=10e3, cathode_farad=None).add_to(net, 2, wiper)
    between = divided(net, plate, 2, coupling_farad=10e-9, upper_ohm=470e3, lower_ohm=470e3)
    plate = Stage(stopper_ohm=10e3, cathode_ohm=820.0, cathode_farad=None).add_to(net, 3, between)
    return _followed(net, plate, knobs, stages=4)


def _followed(net: Circuit, plate: str, knobs: Knobs, *, stages: int) -> ValveCircuit:
    """A cathode follower straight behind a plate, and the tone network behind it."""
    net.resistor("followed", "0", 100e3)
    net.triode(plate, "supply", "followed")
    add_network(net, FOLLOWED, "followed", "out", treble=knobs.treble, middle=knobs.middle, bass=knobs.bass)
    return ValveCircuit(net, (HIGH_MU,) * stages, "out")


def stages_in_a_row(count: int, *, drive: float, bright: bool, tight: bool) -> ValveCircuit:
    """One to four stages with the drive control after the first; bias, bypass and coupling make the voice."""
    net = jack()
    plate = FIRST.add_to(net, 1, "jack")
    following = _TIGHT if tight else _WARM
    wiper = gain_control(net, plate, drive, coupling_farad=following[0][0], bright_farad=220e-12 if bright else None)
    if count == 1:
        return ValveCircuit(net, (HIGH_MU,), wiper)
    plate = following[0][1].add_to(net, 2, wiper)
    for number, (coupling_farad, stage) in enumerate(following[1 : count - 1], start=3):
        between = divided(net, plate, number, coupling_farad=coupling_farad, upper_ohm=470e3, lower_ohm=470e3)
        plate = stage.add_to(net, number, between)
    return ValveCircuit(net, (HIGH_MU,) * count, taken_off(net, plate))


# Coupling capacitor before each stage after the first, and the stage.
_WARM = (
    (22e-9, Stage()),
    (22e-9, Stage(cathode_ohm=1800.0, cathode_farad=1e-6)),
    (22e-9, Stage(cathode_farad=None)),
)
_TIGHT = (
    (4.7e-9, Stage(cathode_ohm=2700.0, cathode_farad=680e-9)),
    (10e-9, Stage(cathode_ohm=8200.0, cathode_farad=None)),
    (22e-9, Stage(cathode_farad=None)),
)
