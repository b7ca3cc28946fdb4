"""What switches between two samples switches at its own time: a hard-driven sine at the rate that circuits run at.

Every sample on its own, a square wave of 4186 Hz at 192 kHz leaves its 45th harmonic at 3630 Hz, 1/45 or -33 dB of its
first one (closed form). On the mean between two samples it is there as often once more: -66 dB.
"""

import numpy as np
import pytest
from scipy.integrate import quad

from fatsignal.core.amp.junctions import DiodePair, JunctionCircuit, Npn
from fatsignal.core.amp.power_amp import PowerAmp, PowerStage
from fatsignal.core.amp.preamps import stages_in_a_row
from fatsignal.core.amp.valve_chain import ValveChain
from fatsignal.core.tone.blocks import hard_clip, octave
from fatsignal.core.tone.blocks.fuzz import fuzz_circuit
from fatsignal.core.tone.blocks.hard_clip import Rails, clipper_circuit
from fatsignal.core.tone.blocks.octave import Folded, Octave
from fatsignal.core.tone.blocks.soft_clip import clipping_stage
from tests.core.amp.test_power_amp import SINGLE
from tests.signals import inharmonic_db, sine

RATE, HZ = 192_000, 4186.0
TRANSISTORS = [Npn(forward_gain=90), Npn(forward_gain=130)]


def diodes(circuit):
    return JunctionCircuit(circuit, [DiodePair()], output="out", rate_hz=RATE)


CASES = {
    "one valve": (lambda: ValveChain(stages_in_a_row(1, drive=1.0, bright=False, tight=False), RATE), 10.0, -76),
    "valves in a row": (lambda: ValveChain(stages_in_a_row(3, drive=1.0, bright=False, tight=False), RATE), 3.0, -50),
    "power stage": (lambda: PowerAmp(PowerStage(), RATE, level=1.0), 60.0, -56),
    "one power valve": (lambda: PowerAmp(SINGLE, RATE, level=1.0), 40.0, -78),
    "diodes in the feedback": (lambda: diodes(clipping_stage(10)), 1.0, -68),
    "diodes to ground": (lambda: diodes(clipper_circuit()), 4.0, -72),
    "fuzz": (
        lambda: JunctionCircuit(fuzz_circuit(8), TRANSISTORS, output="out", rate_hz=RATE, supplies_v=(9.0,)), 0.5, -53,
    ),
    "rails": (Rails, 200.0, -55),
    "octave": (lambda: Folded(Octave(drive=10), RATE), 2.0, -40),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_a_hard_driven_sine_leaves_little_but_its_harmonics(name):
    make, peak_v, most_db = CASES[name]
    out = make().process(sine(HZ, peak=peak_v, seconds=1.5, rate_hz=RATE))
    assert inharmonic_db(out[RATE // 2 :], HZ, rate_hz=RATE, up_to_hz=20_000) < most_db


def test_a_mean_between_two_samples_is_the_integral_over_them():
    """Rails and octave by closed forms, against Gauss and Kronrod (scipy.integrate.quad)."""
    for start, end in [(-7.0, 3.0), (3.9, 4.1), (0.2, -0.1), (5.0, 90.0), (-80.0, 80.0), (4.2, 4.2005)]:
        rails = Rails().process(np.array([start, end]))[1]
        whole = quad(hard_clip._rails, start, end, points=[-4.0, 4.0])[0]
        assert rails == pytest.approx(whole / (end - start), rel=1e-6)
        for share in (0.0, 0.6, 1.0):
            whole = quad(octave._folded, start, end, args=(share,), points=[0.0], limit=400, epsabs=1e-12)[0]
            found = octave._integral(end, share) - octave._integral(start, share)
            assert found == pytest.approx(whole, rel=1e-9, abs=1e-10)
