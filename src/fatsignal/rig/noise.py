"""Noise at the converter of each channel: of source, box, microphone, input and converter together."""

import math

from fatsignal.core.instrument.converter import CONVERTER_NOISE_DBFS
from fatsignal.core.instrument.inputs import BOXES, gain_of_input_db, input_noise_dbfs, volts_from_dbu
from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup

REFERENCE_PA = 20e-6


def di_noise_dbfs(setup: RigSetup) -> float:
    """RMS noise of the clean channel at rest, without hum.

    Raises
    ------
    AssertionError
        If the rig keeps no DI.
    """
    assert setup.di is not None, "a rig without a DI has no noise there"
    use, box = setup.di.input, BOXES[setup.di.box]
    # A coil hisses with its resistance; a piezo's load is shorted by its own capacitance at all but the lowest hertz.
    source_ohm = box.output_ohm if box else max(setup.pickup.resistance_ohm, 150.0)
    parts = [_input_dbfs(use, source_ohm)]
    if box:
        parts.append(_dbfs(volts_from_dbu(box.noise_dbu), use))
    return _together(*parts)


def mic_noise_dbfs(mic: MicOnRig) -> float:
    """RMS noise of a microphone's channel in a silent room."""
    kind, parts = MIC_KINDS[mic.kind], [_input_dbfs(mic.input, MIC_KINDS[mic.kind].output_ohm)]
    if kind.self_noise_db_spl is not None:
        pascal = REFERENCE_PA * 10 ** (kind.self_noise_db_spl / 20)
        parts.append(_dbfs(pascal * kind.sensitivity_v_pa, mic.input))
    return _together(*parts)


def _input_dbfs(use: InputUse, source_ohm: float) -> float:
    return input_noise_dbfs(use.kind, gain_db=use.gain_db, pad=use.pad, source_ohm=source_ohm)


def _dbfs(volts_rms: float, use: InputUse) -> float:
    return 20 * math.log10(volts_rms) + gain_of_input_db(use.kind, gain_db=use.gain_db, pad=use.pad)


def _together(*levels_dbfs: float) -> float:
    """Noises that have nothing to do with each other add by their powers; the converter's own comes last."""
    return 10 * math.log10(sum(10 ** (level / 10) for level in (*levels_dbfs, CONVERTER_NOISE_DBFS)))
