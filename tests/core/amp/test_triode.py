import numpy as np
import pytest
from scipy.signal import lfilter

from fatsignal.core.amp.cascade import Cascade, Link
from fatsignal.core.amp.triode import TriodeStage, run_triode_exactly
from fatsignal.core.amp.valve import plate_current_a
from tests.reference import spice
from tests.signals import sine

RATE = 192_000


def alone(stage):
    return Cascade([Link(stage)], RATE)


def error_to_signal(found, expected):
    return np.sum((found - expected) ** 2) / np.sum((expected - expected.mean()) ** 2)


@pytest.mark.parametrize(("peak_v", "seconds"), [(0.5, 0.03), (20.0, 0.03)])
def test_stage_agrees_with_a_circuit_simulator(tmp_path, peak_v, seconds):
    """ngspice, transient, same valve equations: from a clean sine to a grid that conducts and shifts its bias."""
    stage = TriodeStage(coupling_farad=4.7e-9, cathode_farad=680e-9)
    netlist = spice.stage_netlist(stage, frequency_hz=220.0, peak_v=peak_v, seconds=seconds)
    truth = spice.run(netlist, analysis="tran", vector="v(plate)", folder=tmp_path)
    ours = alone(stage).process(sine(220.0, peak=peak_v, seconds=seconds, rate_hz=RATE))
    time_s = np.arange(len(ours)) / RATE
    expected = np.interp(time_s, truth[:, 0], truth[:, 1])
    # The simulator's first moment is its working point; ours is told about that point.
    assert error_to_signal(ours, expected - expected[0]) < 1e-4


@pytest.mark.parametrize("peak_v", [0.2, 5.0, 80.0])
def test_the_table_reads_what_newton_finds(peak_v):
    stage = TriodeStage(cathode_ohm=8200, cathode_farad=None, source_ohm=235e3)
    signal = sine(331.0, peak=peak_v, seconds=0.05, rate_hz=RATE)
    assert error_to_signal(alone(stage).process(signal), run_triode_exactly(stage, signal, RATE)) < 1e-6


def test_plate_current_by_hand():
    """Koren 1996 at 250 V and −2 V, 12AX7 type, written out apart from the code."""
    e1 = 250 / 600 * np.log1p(np.exp(600 * (1 / 100 - 2 / np.sqrt(300 + 250**2))))
    current, by_grid, by_plate = plate_current_a(-2.0, 250.0)
    assert current == pytest.approx(2 * e1**1.4 / 1060, rel=1e-12)
    step = 1e-5
    assert by_grid == pytest.approx((plate_current_a(-2 + step, 250.0)[0] - current) / step, rel=1e-3)
    assert by_plate == pytest.approx((plate_current_a(-2.0, 250 + step)[0] - current) / step, rel=1e-3)


def test_a_stage_inverts_and_amplifies_and_starts_at_rest():
    out = alone(TriodeStage(source_ohm=1e3, coupling_farad=1e-6)).process(
        sine(1000.0, peak=0.01, seconds=0.2, rate_hz=RATE)
    )
    settled = out[len(out) // 2 :]
    gain = np.dot(settled, sine(1000.0, seconds=0.1, rate_hz=RATE)) / len(settled) * 2 / 0.01
    # A 12AX7-type stage with 100 kΩ and a bypassed cathode gives 50 to 65 times (common practice, no source).
    assert -70 < gain < -45
    assert abs(out[0]) < 0.01


def test_hard_playing_shifts_the_bias_and_rest_brings_it_back():
    stage = TriodeStage()
    runner = alone(stage)
    quiet = sine(500.0, peak=0.05, seconds=0.1, rate_hz=RATE)
    before = np.ptp(runner.process(quiet)[-4000:])
    runner.process(sine(500.0, peak=60.0, seconds=0.3, rate_hz=RATE))
    right_after = np.ptp(runner.process(quiet)[:2000])
    runner.process(np.zeros(2 * RATE))
    later = np.ptp(runner.process(quiet)[-4000:])
    assert right_after < 0.8 * before
    assert later == pytest.approx(before, rel=0.03)


# A cascade as in a high-gain amp: voltage divider, a treble lift, and a stage without bypass.
LINKS = [
    Link(TriodeStage(source_ohm=1e3, coupling_farad=1e-6)),
    Link(TriodeStage(source_ohm=150e3, coupling_farad=4.7e-9), [0.06, -0.04], [1.0, -0.8]),
    Link(TriodeStage(source_ohm=235e3, cathode_ohm=8200, cathode_farad=None), [0.5]),
]


def test_a_cascade_is_its_stages_one_after_another_each_a_sample_late():
    """The exact stage, solved by Newton, and scipy's filter between the stages as the reference."""
    signal = sine(220.0, peak=0.4, seconds=0.1, rate_hz=RATE)
    expected = signal
    for link in LINKS:
        expected = run_triode_exactly(link.stage, lfilter(link.numerator, link.denominator, expected), RATE)
    cascade = Cascade(LINKS, RATE)
    assert cascade.latency_frames == 2
    found = cascade.process(signal)
    assert error_to_signal(found[2:], expected[:-2]) < 3e-6


def test_at_rest_nothing_comes_out():
    assert np.abs(Cascade(LINKS, RATE).process(np.zeros(RATE))).max() < 1e-12


@pytest.mark.parametrize("cut", [1, 32, 77, 128, 4096])
def test_blocks_of_any_size_give_the_same_samples(cut):
    signal = sine(220.0, peak=0.4, seconds=0.05, rate_hz=RATE)
    whole = Cascade(LINKS, RATE).process(signal)
    cascade = Cascade(LINKS, RATE)
    pieces = [cascade.process(signal[start : start + cut]) for start in range(0, len(signal), cut)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)
