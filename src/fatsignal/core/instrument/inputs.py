"""Inputs of an interface and DI boxes: what they do to level, noise and to the source that they load.

References
----------
.. [1] J. B. Johnson, "Thermal agitation of electricity in conductors", Phys. Rev. 32, 1928: v² = 4·k·T·R·B.
.. [2] EBU/AES usage: 0 dBu is 0.7746 V RMS (1 mW in 600 Ω).
"""

import math
from dataclasses import dataclass
from typing import Literal

InputKind = Literal["instrument", "microphone", "line"]
BoxKind = Literal["none", "passive", "active"]

DBU_V = math.sqrt(0.6)
PAD_DB = -20.0
PHANTOM_V = 48.0
_BOLTZMANN, _ROOM_K = 1.380649e-23, 293.15
_AUDIO_BAND_HZ = 20_000.0


@dataclass(frozen=True, slots=True)
class InputFacts:
    """A kind of input; values of common practice, no source.

    `full_scale_v` is the peak voltage that reads 0 dBFS at 0 dB of gain, `noise_dbu` the equivalent input noise.
    """

    ohm: float
    full_scale_v: float
    noise_dbu: float
    lowest_gain_db: float
    highest_gain_db: float


INPUTS: dict[InputKind, InputFacts] = {
    "instrument": InputFacts(1e6, 8.0, -104.0, 0.0, 50.0),
    "microphone": InputFacts(3_000.0, 2.2, -127.5, 0.0, 70.0),
    "line": InputFacts(10e3, 12.0, -98.0, -10.0, 20.0),
}


@dataclass(frozen=True, slots=True)
class BoxFacts:
    """A DI box: what it shows to the instrument, what it makes of the voltage, and what it feeds the input from.

    A passive box is a transformer `ratio` : 1, which shows its load multiplied by the square of the ratio.
    """

    ratio: float
    input_ohm: float | None
    output_ohm: float
    noise_dbu: float
    needs_phantom: bool


BOXES: dict[BoxKind, BoxFacts | None] = {
    "none": None,
    "passive": BoxFacts(12.0, None, 150.0, -140.0, False),
    "active": BoxFacts(3.0, 10e6, 600.0, -108.0, True),
}


def dbu_from_volts(volts_rms: float) -> float:
    """Level in dBu of an RMS voltage; ``-inf`` for none."""
    return 20 * math.log10(volts_rms / DBU_V) if volts_rms > 0 else -math.inf


def volts_from_dbu(level_dbu: float) -> float:
    """RMS voltage of a level in dBu."""
    return float(DBU_V * 10 ** (level_dbu / 20))


def thermal_noise_dbu(ohm: float) -> float:
    """Noise of a resistance at 20 °C over 20 kHz; 150 Ω give −130.9 dBu."""
    return dbu_from_volts(math.sqrt(4 * _BOLTZMANN * _ROOM_K * ohm * _AUDIO_BAND_HZ))


def gain_of_input_db(kind: InputKind, *, gain_db: float, pad: bool) -> float:
    """Decibels from a peak voltage of 1 V to a converter's full scale of 1.0."""
    return gain_db + (PAD_DB if pad else 0.0) - 20 * math.log10(INPUTS[kind].full_scale_v)


def input_noise_dbfs(kind: InputKind, *, gain_db: float, pad: bool, source_ohm: float) -> float:
    """RMS noise at the converter from the input and its source; a pad weakens the source, not the input."""
    source_v = volts_from_dbu(thermal_noise_dbu(source_ohm)) * (10 ** (PAD_DB / 20) if pad else 1.0)
    volts = math.hypot(source_v, volts_from_dbu(INPUTS[kind].noise_dbu))
    return 20 * math.log10(volts) + gain_of_input_db(kind, gain_db=gain_db, pad=False)


def load_ohm(box: BoxKind, kind: InputKind, *, ratio: float | None = None) -> float:
    """Resistance that an instrument sees at a box, or at its input; `ratio` None is the box's usual."""
    facts = BOXES[box]
    if facts is None:
        return INPUTS[kind].ohm
    return facts.input_ohm if facts.input_ohm is not None else (ratio or facts.ratio) ** 2 * INPUTS[kind].ohm


def box_gain_db(box: BoxKind, *, ratio: float | None = None) -> float:
    """What a DI box takes from the voltage; `ratio` None is the box's usual."""
    facts = BOXES[box]
    return 0.0 if facts is None else -20 * math.log10(ratio or facts.ratio)


def parallel_ohm(*resistances: float) -> float:
    """Resistances side by side."""
    return 1 / sum(1 / ohm for ohm in resistances)
