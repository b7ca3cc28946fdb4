"""The passive treble, middle and bass network between stages, by nodal analysis.

References
----------
.. [1] D. T. Yeh, J. O. Smith, "Discretization of the '59 Fender Bassman tone stack", DAFx 2006: topology,
   and the check of a discretised network against its analogue response.
"""

from dataclasses import dataclass

import numpy as np

from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import RationalFilter
from fatsignal.core.clip import Samples


@dataclass(frozen=True, slots=True)
class NetworkValues:
    """Component values; resistances in ohm, capacitances in farad."""

    source_ohm: float = 1e3
    slope_ohm: float = 56e3
    treble_ohm: float = 250e3
    bass_ohm: float = 1e6
    middle_ohm: float = 25e3
    treble_farad: float = 250e-12
    bass_farad: float = 20e-9
    middle_farad: float = 20e-9
    load_ohm: float = 1e6


NETWORKS: dict[str, NetworkValues] = {
    # Values of common practice, named for what they do; no source.
    "scooped": NetworkValues(),
    "forward": NetworkValues(
        slope_ohm=33e3, treble_farad=470e-12, bass_farad=22e-9, middle_farad=22e-9, middle_ohm=25e3
    ),
    "deep": NetworkValues(slope_ohm=82e3, treble_farad=330e-12, bass_farad=47e-9, middle_farad=33e-9, middle_ohm=50e3),
}

# A wiper never reaches the very end of its track; this also keeps the nodal matrix regular.
_TRACK_END = 1e-3


def audio_taper(position: float) -> float:
    """Share of an audio-taper potentiometer's track at `position` 0 to 1: a tenth at the middle."""
    return float((81.0**position - 1.0) / 80.0)


def network_circuit(values: NetworkValues, *, treble: float, middle: float, bass: float) -> Circuit:
    """The network alone as a netlist with output node ``out``; knob positions run 0 to 1."""
    net = Circuit()
    net.source("in")
    add_network(net, values, "in", "out", treble=treble, middle=middle, bass=bass)
    net.resistor("out", "0", values.load_ohm)
    return net


def add_network(
    net: Circuit, values: NetworkValues, source: str, out: str, *, treble: float, middle: float, bass: float
) -> None:
    """Draw the network between two nodes of a circuit."""
    t = min(max(treble, _TRACK_END), 1 - _TRACK_END)
    m = min(max(middle, _TRACK_END), 1 - _TRACK_END)
    b = max(audio_taper(bass), _TRACK_END)
    net.resistor(source, "top", values.source_ohm)
    net.capacitor("top", "high", values.treble_farad)
    net.resistor("high", out, (1 - t) * values.treble_ohm)
    net.resistor(out, "low", t * values.treble_ohm)
    net.resistor("top", "slope", values.slope_ohm)
    net.capacitor("slope", "low", values.bass_farad)
    net.resistor("low", "mid", b * values.bass_ohm)
    net.resistor("mid", "scooped", (1 - m) * values.middle_ohm)
    net.resistor("scooped", "0", m * values.middle_ohm)
    net.capacitor("slope", "scooped", values.middle_farad)


def network_filter(
    values: NetworkValues, *, treble: float, middle: float, bass: float, rate_hz: float
) -> RationalFilter:
    """The network at `rate_hz` as a running filter; bilinear, so it is exact only well below half the rate."""
    circuit = network_circuit(values, treble=treble, middle=middle, bass=bass)
    return RationalFilter(*transfer_function(circuit.discretise(rate_hz=rate_hz, outputs=["out"])))


def network_response_db(
    values: NetworkValues, frequency_hz: Samples, *, treble: float, middle: float, bass: float
) -> Samples:
    """Analogue gain in dB at each frequency: what the curve on the tone strip shows."""
    circuit = network_circuit(values, treble=treble, middle=middle, bass=bass)
    # The analogue response is the discrete one at a rate so high that warping vanishes in the audio band.
    rate_hz = 6_144_000.0
    numerator, denominator = transfer_function(circuit.discretise(rate_hz=rate_hz, outputs=["out"]))
    z = np.exp(-2j * np.pi * frequency_hz / rate_hz)
    gain = np.polyval(numerator[::-1], z) / np.polyval(denominator[::-1], z)
    return np.asarray(20 * np.log10(np.abs(gain)))
