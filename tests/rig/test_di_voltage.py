"""A tone answers to the voltage at the jack: through the amp that was simulated it gives what its microphone heard.

Whatever box, pad, input and gain the DI went through; only noise and rounding are between the two.
"""

import math

import numpy as np
import pytest

from fatsignal.core.tone.blocks import Mic, SpeakerAndMics
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.render import render
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.rig.setup import DiPath, InputUse, MicOnRig, RigSetup
from tests.rig.test_simulated import performance, recorded
from tests.signals import FS

MIC = MicOnRig(name="mic A", kind="coil", distance_m=0.05, input=InputUse(number=2, gain_db=28))
DIS = {
    "instrument": DiPath(input=InputUse(number=1, kind="instrument", gain_db=3)),
    "instrument, more gain": DiPath(input=InputUse(number=1, kind="instrument", gain_db=9)),
    "instrument, pad": DiPath(input=InputUse(number=1, kind="instrument", gain_db=24, pad=True)),
    "passive box": DiPath(box="passive", input=InputUse(number=1, gain_db=17)),
    "active box": DiPath(box="active", input=InputUse(number=1, gain_db=4, phantom=True)),
    "polarity turned": DiPath(input=InputUse(number=1, kind="instrument", gain_db=3, flipped=True)),
    "line": DiPath(input=InputUse(number=1, kind="line", gain_db=10)),
}


def null_db(found, reference):
    """What is left of `reference` when `found` is taken off at the level that leaves least."""
    gain = float(found @ reference / (found @ found))
    return 20 * math.log10(np.std(reference - gain * found) / np.std(reference)), 20 * math.log10(abs(gain))


def crest_db(signal):
    return 20 * math.log10(np.abs(signal).max() / np.std(signal))


def played(di):
    setup = RigSetup(di=di, mics=[MIC])
    samples = recorded(setup, performance(bars=2))
    tone = Tone(
        name="the same amp",
        blocks=[
            *setup.amp.blocks,
            SpeakerAndMics(speaker=setup.amp.speaker, mics=[Mic(kind=MIC.kind, distance_m=MIC.distance_m)]),
        ],
    )
    wet = render(ToneChain(tone, rate_hz=FS, voltage=setup.di_voltage), samples[:, 0])
    travel = math.floor(MIC.distance_m / speed_of_sound_m_s() * FS)
    return wet[: len(wet) - travel], samples[travel:, 1]


@pytest.mark.parametrize("di", DIS.values(), ids=DIS.keys())
def test_a_print_through_the_same_amp_is_what_its_microphone_heard(di):
    wet, miked = played(di)
    left_db, _ = null_db(wet, miked)
    assert left_db < -55
    assert crest_db(wet) == pytest.approx(crest_db(miked), abs=0.3)


def test_turning_the_gain_of_the_di_changes_no_print():
    prints = [played(DIS[name])[0] for name in ("instrument", "instrument, more gain", "instrument, pad")]
    for other in prints[1:]:
        left_db, gain_db = null_db(other, prints[0])
        assert left_db < -55
        assert gain_db == pytest.approx(0.0, abs=0.05)


def test_what_full_scale_stands_for_is_that_of_box_pad_and_gain():
    """By hand: 8 V read full scale of an instrument input without gain, 2.2 V of one for microphones."""
    volts = {name: RigSetup(di=di).di_voltage for name, di in DIS.items()}
    assert volts["instrument"].full_scale_v == pytest.approx(8.0 / 10 ** (3 / 20))
    assert volts["instrument, pad"].full_scale_v == pytest.approx(8.0 / 10 ** (4 / 20))
    assert volts["passive box"].full_scale_v == pytest.approx(2.2 * 12 / 10 ** (17 / 20))
    assert volts["polarity turned"].inverted
    assert RigSetup(di=None).di_voltage is None
