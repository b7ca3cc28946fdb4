"""A solid-state preamp for bass: gain, a limit as soft as diodes are, and three active bands.

References
----------
.. [1] P. J. Baxandall, "Negative-feedback tone control", Wireless World 58, October 1952: bass and treble as arms
   between input and output of an inverting amplifier, flat where both stand in the middle. The arm for the middle and
   all values are of common practice.
"""

from fatsignal.core.amp.circuit import Circuit
from fatsignal.core.amp.junctions import DiodePair
from fatsignal.core.amp.preamps import Knobs
from fatsignal.core.amp.tone_network import audio_taper

# A string of diodes each way across the way to the bands: about 7 V.
LIMIT = DiodePair(emission=1.752 * 9)
OUTPUT = "out"
_TRACK_END = 1e-3
# The bands' output drives a power stage of valves as their own preamps do.
_MAKE_UP = 4.0


def bass_preamp(knobs: Knobs) -> Circuit:
    """The circuit; its first source is the signal, its port is the string of diodes."""
    net = Circuit()
    net.source("in")
    net.capacitor("in", "jack", 100e-9)
    net.resistor("jack", "0", 1e6)
    # A non-inverting stage, from 1 to some 45 times, that leaves the treble a little more where it is bright.
    net.opamp("jack", "minus", "driven")
    net.resistor("driven", "minus", 1e3 + audio_taper(knobs.gain) * 220e3)
    net.capacitor("driven", "minus", 100e-12)
    net.resistor("minus", "stood", 4.7e3)
    net.capacitor("stood", "0", 4.7e-6)
    if knobs.bright:
        net.resistor("minus", "bright", 3.3e3)
        net.capacitor("bright", "0", 10e-9)
    net.resistor("driven", "limited", 2.2e3)
    net.port("limited", "0")
    net.resistor("limited", "0", 1e6)
    # A buffer, then the arms of the bands around an inverting amplifier.
    net.opamp("limited", "fed", "fed")
    net.opamp("0", "ground", "toned")
    _bass(net, knobs.bass)
    _middle(net, knobs.middle)
    _treble(net, knobs.treble)
    net.resistor("ground", "toned", 2.2e6)
    net.opamp("0", "mixed", OUTPUT)
    net.resistor("toned", "mixed", 22e3)
    net.resistor("mixed", OUTPUT, _MAKE_UP * 22e3)
    return net


def _track(net: Circuit, low: str, wiper: str, high: str, position: float, ohm: float) -> None:
    """A linear control between two nodes; at 1 its wiper stands at `high`."""
    share = min(max(position, _TRACK_END), 1 - _TRACK_END)
    net.resistor(low, wiper, share * ohm)
    net.resistor(wiper, high, (1 - share) * ohm)


def _bass(net: Circuit, position: float) -> None:
    net.resistor("fed", "bass high", 11e3)
    _track(net, "bass low", "bass", "bass high", position, 100e3)
    net.resistor("bass low", "toned", 11e3)
    net.capacitor("bass high", "bass", 47e-9)
    net.capacitor("bass", "bass low", 47e-9)
    net.resistor("bass", "ground", 11e3)


def _middle(net: Circuit, position: float) -> None:
    net.resistor("fed", "middle high", 3.6e3)
    _track(net, "middle low", "middle", "middle high", position, 100e3)
    net.resistor("middle low", "toned", 3.6e3)
    net.capacitor("middle high", "middle low", 8.2e-9)
    net.capacitor("middle", "middled", 39e-9)
    net.resistor("middled", "ground", 3.6e3)


def _treble(net: Circuit, position: float) -> None:
    net.resistor("fed", "treble high", 1.8e3)
    _track(net, "treble low", "treble", "treble high", position, 470e3)
    net.resistor("treble low", "toned", 1.8e3)
    net.capacitor("treble", "ground", 2.2e-9)
