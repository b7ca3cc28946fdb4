"""Diodes and transistors in their circuits: ngspice's own devices in the same netlists, run again here."""

import numpy as np
import pytest

from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import response_db
from fatsignal.core.amp.junctions import DiodePair, JunctionCircuit, Npn
from fatsignal.core.tone.blocks.boost import boost_circuit
from fatsignal.core.tone.blocks.fuzz import fuzz_circuit
from fatsignal.core.tone.blocks.hard_clip import clipper_circuit, gain_stage
from fatsignal.core.tone.blocks.soft_clip import clipping_stage
from tests.reference.spice import run
from tests.reference.spice_circuits import netlist
from tests.signals import sine

RATE = 768_000
SECONDS, HZ = 0.01, 220.0
CASES = {
    "overdrive": (clipping_stage(5), [DiodePair()], (), 0.2),
    "overdrive, uneven diodes": (clipping_stage(8), [DiodePair(uneven=2)], (), 0.1),
    "diodes to ground": (clipper_circuit(), [DiodePair()], (), 4.0),
    "germanium to ground": (clipper_circuit(), [DiodePair(saturation_a=2e-7, emission=1.3)], (), 2.0),
    "fuzz": (fuzz_circuit(8), [Npn(forward_gain=90), Npn(forward_gain=130)], (9.0,), 0.05),
    "fuzz, starved": (fuzz_circuit(6), [Npn(forward_gain=90), Npn(forward_gain=130)], (3.0,), 0.3),
    "treble boost": (boost_circuit("treble", 6), [Npn(forward_gain=180)], (9.0,), 0.5),
    "boost into its rails": (boost_circuit("all", 9), [Npn(forward_gain=180)], (9.0,), 2.0),
}


@pytest.mark.parametrize("name", CASES)
def test_a_driven_circuit_gives_what_ngspice_gives(name, tmp_path):
    circuit, junctions, supplies_v, peak_v = CASES[name]
    deck = netlist(circuit, junctions, source=f"SIN(0 {peak_v} {HZ})", supplies_v=supplies_v)
    told = run(f"{deck}\n.tran 2u {SECONDS} 0 2u\n.end\n", analysis="tran", vector="v(out)", folder=tmp_path)
    ours = JunctionCircuit(circuit, junctions, output="out", rate_hz=RATE, supplies_v=supplies_v)
    found = ours.process(peak_v * sine(HZ, seconds=SECONDS, rate_hz=RATE))
    time_s = (np.arange(len(found)) - ours.latency_frames) / RATE
    expected = np.interp(time_s, told[:, 0], told[:, 1])
    expected = expected - expected[0]
    # Error to signal, as between amp simulations; the trapezoidal rule at 768 kHz against ngspice's own steps.
    assert np.sum((found - expected) ** 2) / np.sum(expected**2) < 2e-5


def test_linear_stages_have_ngspices_response(tmp_path):
    circuit = gain_stage(5)
    deck = netlist(circuit, [], source="AC 1")
    table = run(f"{deck}\n.ac dec 20 20 20k\n.end\n", analysis="ac", vector="vdb(out)", folder=tmp_path)
    b, a = transfer_function(circuit.discretise(rate_hz=6_144_000, outputs=["out"]))
    np.testing.assert_allclose(response_db(b, a, table[:, 0], 6_144_000), table[:, 1], atol=0.05)


def test_an_ideal_amplifier_is_the_ratio_of_its_resistors():
    """1 + R2/R1 and −R2/R1, closed forms."""
    follows = Circuit()
    follows.source("in")
    follows.opamp("in", "minus", "out")
    follows.resistor("minus", "0", 1e3)
    follows.resistor("out", "minus", 9e3)
    assert follows.discretise(rate_hz=48_000, outputs=["out"]).e[0, 0] == pytest.approx(10.0)
    turns = Circuit()
    turns.source("in")
    turns.resistor("in", "minus", 1e3)
    turns.resistor("out", "minus", 4.7e3)
    turns.opamp("0", "minus", "out")
    assert turns.discretise(rate_hz=48_000, outputs=["out"]).e[0, 0] == pytest.approx(-4.7)


def test_one_ports_table_is_newton_to_some_hundred_thousandths():
    signal = 4 * sine(300.0, seconds=0.05, rate_hz=192_000)
    for circuit, pair in ((clipper_circuit(), DiodePair()), (clipping_stage(10), DiodePair(uneven=2))):
        table, exact = (JunctionCircuit(circuit, [pair], output="out", rate_hz=192_000) for _ in range(2))
        reference = exact.process_exactly(signal)
        assert np.abs(table.process(signal) - reference).max() < 3e-5 * np.abs(reference).max()


@pytest.mark.parametrize("name", CASES)
def test_nothing_played_is_nothing_heard_and_whatever_is_played_stays_finite(name):
    circuit, junctions, supplies_v, _ = CASES[name]
    at_rest = JunctionCircuit(circuit, junctions, output="out", rate_hz=192_000, supplies_v=supplies_v)
    assert np.abs(at_rest.process(np.zeros(20_000))).max() < 1e-6
    wild = 50 * np.random.default_rng(1).standard_normal(4_000)
    out = at_rest.process(wild)
    assert np.isfinite(out).all()
    assert np.abs(out).max() < 1e4
