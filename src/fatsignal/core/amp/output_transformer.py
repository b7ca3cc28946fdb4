"""What the plates of a power stage work into: the output transformer and the loudspeaker behind it.

All of it is told as seen from one half of the primary, between the supply and one plate: the difference of both plates'
currents flows into it, and what it leaves is the voltage by which one plate falls and the other rises.
"""

import math
from dataclasses import dataclass

from fatsignal.core.amp.circuit import Circuit

# A coil in iron's eddy currents: its inductance works beside so many times its resistance (common practice, no source).
_EDDY = 4.0


@dataclass(frozen=True, slots=True)
class SpeakerLoad:
    """A loudspeaker's impedance over its nominal one.

    `coil_corner_hz` is where its coil's inductance is as large as its resistance; the quality factors are those of
    its resonance, mechanical and electrical (R. H. Small, "Direct-radiator loudspeaker system analysis", J. AES 20(5),
    1972: the resonance as a parallel circuit; values of common practice).
    """

    resonance_hz: float
    coil_corner_hz: float
    mechanical_q: float = 6.0
    electrical_q: float = 1.0
    coil_share: float = 0.8


@dataclass(frozen=True, slots=True)
class OutputTransformer:
    """Ohm, henry, farad and volt-seconds, of the whole primary; `saturation_vs` bends where the iron is full.

    Across the primary lie a resistor, told as a share of its impedance, and a capacitor: from their corner on the
    plates no longer meet the loudspeaker's coil alone (common practice).
    """

    primary_ohm: float
    primary_henry: float = 20.0
    leakage_henry: float = 20e-3
    winding_farad: float = 250e-12
    copper_share: float = 0.05
    saturation_vs: float = 2.2
    damper_share: float = 1.2
    damper_corner_hz: float = 8_000.0


def output_circuit(transformer: OutputTransformer, speaker: SpeakerLoad | None) -> Circuit:
    """As a netlist for one half: its source is the plates' current, as a port; nodes ``plate`` and ``speaker``.

    What magnetises the iron is not in it: that bends, and is drawn beside it.
    """
    quarter_ohm = transformer.primary_ohm / 4.0
    net = Circuit()
    net.port("plate", "0")
    net.capacitor("plate", "0", 4.0 * transformer.winding_farad, stiff=True)
    damper_ohm = transformer.damper_share * quarter_ohm
    net.resistor("plate", "damped", damper_ohm)
    net.capacitor("damped", "0", 1.0 / (2 * math.pi * transformer.damper_corner_hz * damper_ohm))
    net.inductor("plate", "leaked", transformer.leakage_henry / 4.0)
    net.resistor("leaked", "speaker", transformer.copper_share * quarter_ohm)
    if speaker is None:
        net.resistor("speaker", "0", quarter_ohm)
        return net
    coil_ohm = speaker.coil_share * quarter_ohm
    net.resistor("speaker", "coil", coil_ohm)
    net.inductor("coil", "cone", coil_ohm / (2 * math.pi * speaker.coil_corner_hz))
    net.resistor("coil", "cone", _EDDY * coil_ohm)
    turn = 2 * math.pi * speaker.resonance_hz
    net.resistor("cone", "0", coil_ohm * speaker.mechanical_q / speaker.electrical_q)
    net.capacitor("cone", "0", speaker.electrical_q / (turn * coil_ohm))
    net.inductor("cone", "0", coil_ohm / (turn * speaker.electrical_q))
    return net
