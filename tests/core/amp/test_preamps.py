"""Preamps against ngspice with the same valve equations, and what a circuit of theirs has to do."""

import itertools

import numpy as np
import pytest

from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import response_db
from fatsignal.core.amp.preamps import Knobs, Stage, jack, preamp, stages_in_a_row, taken_off
from fatsignal.core.amp.valve import HIGH_MU
from fatsignal.core.amp.valve_chain import ValveChain, ValveCircuit
from fatsignal.errors import SignalError
from tests.reference import spice, spice_circuits
from tests.signals import sine

RATE = 192_000
MIDDLE = Knobs(gain=0.5, bass=0.5, middle=0.5, treble=0.5, bright=True)
KINDS = ("small clean", "big clean", "follower cascade", "cold high gain")
HARD = Knobs(gain=0.9, bass=0.3, middle=0.7, treble=0.6, bright=True)


def error_to_signal(found, expected):
    return np.sum((found - expected) ** 2) / np.sum((expected - expected.mean()) ** 2)


def simulated(valves, folder, *, frequency_hz, peak_v, seconds):
    """What ngspice makes of it, about its first moment, its working point, at `RATE`."""
    netlist = spice_circuits.stages(valves, frequency_hz=frequency_hz, peak_v=peak_v, seconds=seconds)
    truth = spice.run(netlist, analysis="tran", vector=f"v({valves.output.replace(' ', '_')})", folder=folder)
    time_s = np.arange(round(seconds * RATE)) / RATE
    told = np.interp(time_s, truth[:, 0], truth[:, 1])
    return told - told[0]


def of_simulated(chain, found, expected):
    """The error, of what comes late by parts of a frame."""
    frame = np.arange(len(found))
    there = frame >= chain.latency_frames
    return error_to_signal(found[there], np.interp(frame - chain.latency_frames, frame, expected)[there])


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("knobs", "peak_v"), [(MIDDLE, 0.03), (HARD, 1.0)])
def test_preamps_agree_with_a_circuit_simulator(tmp_path, kind, knobs, peak_v):
    """Transient, from a clean sine to grids that conduct, shift their bias and load the plates before them."""
    valves = preamp(kind, knobs)
    expected = simulated(valves, tmp_path, frequency_hz=220.0, peak_v=peak_v, seconds=0.03)
    chain = ValveChain(valves, RATE)
    found = chain.process(sine(220.0, peak=peak_v, seconds=0.03, rate_hz=RATE))
    assert of_simulated(chain, found, expected) < 5e-4


@pytest.mark.parametrize(("count", "tight", "most"), [(1, False, 5e-4), (4, True, 2e-3)])
def test_stages_in_a_row_agree_with_a_circuit_simulator(tmp_path, count, tight, most):
    """What feeds back within a stage is half a sample late too: four are some 2 µs earlier than told, all the error."""
    valves = stages_in_a_row(count, drive=0.7, bright=True, tight=tight)
    expected = simulated(valves, tmp_path, frequency_hz=330.0, peak_v=0.4, seconds=0.03)
    chain = ValveChain(valves, RATE)
    found = chain.process(sine(330.0, peak=0.4, seconds=0.03, rate_hz=RATE))
    assert of_simulated(chain, found, expected) < most


def test_a_grid_that_conducts_loads_the_plate_before_it(tmp_path):
    """Straight from plate to grid by a capacitor: the worst place to cut. ngspice knows both at once."""
    net = jack()
    plate = Stage().add_to(net, 1, "jack")
    net.capacitor(plate, "coupled 2", 22e-9)
    net.resistor("coupled 2", "0", 1e6)
    plate = Stage(stopper_ohm=1e3).add_to(net, 2, "coupled 2")
    valves = ValveCircuit(net, (HIGH_MU,) * 2, taken_off(net, plate))
    expected = simulated(valves, tmp_path, frequency_hz=220.0, peak_v=3.0, seconds=0.04)
    chain = ValveChain(valves, RATE)
    found = chain.process(sine(220.0, peak=3.0, seconds=0.04, rate_hz=RATE))
    # Cut at the plate as a voltage behind a resistance, it was 0.07.
    assert of_simulated(chain, found, expected) < 4e-3


@pytest.mark.parametrize("kind", KINDS)
def test_every_knob_can_stand_anywhere(kind):
    """At rest nothing comes out, and after a hard click it comes to rest again, wherever the controls stand."""
    for gain, bass, treble in itertools.product((0.0, 0.37, 1.0), (0.0, 1.0), (0.0, 0.61, 1.0)):
        chain = ValveChain(preamp(kind, Knobs(gain, bass, 0.5, treble, bright=True)), RATE)
        assert np.abs(chain.process(np.zeros(500))).max() == 0.0
        click = np.zeros(RATE // 2)
        click[:40] = 5.0
        out = chain.process(click)
        assert np.abs(out).max() < 400
        assert np.abs(out[-200:]).max() < 2e-2 * max(np.abs(out).max(), 1e-3)


def test_hard_playing_shifts_the_bias_and_rest_brings_it_back():
    chain = ValveChain(stages_in_a_row(3, drive=1.0, bright=False, tight=False), RATE)
    quiet = sine(500.0, peak=1e-4, seconds=0.02, rate_hz=RATE)
    turn = np.exp(-2j * np.pi * 500.0 * np.arange(len(quiet)) / RATE)

    def amplifies():
        return abs(np.mean(chain.process(quiet) * turn))

    amplifies()
    before = amplifies()
    chain.process(sine(500.0, peak=2.0, seconds=0.3, rate_hz=RATE))
    chain.process(np.zeros(RATE // 200))
    right_after = amplifies()
    chain.process(np.zeros(2 * RATE))
    amplifies()
    assert right_after < 0.85 * before
    assert amplifies() == pytest.approx(before, rel=0.03)


def test_a_first_stage_amplifies_as_such_stages_do():
    """12AX7 type, 100 kΩ, bypassed cathode, 1 MΩ behind it: 50 to 65 times (common practice, no source)."""
    net = jack()
    out = taken_off(net, Stage().add_to(net, 1, "jack"))
    chain = ValveChain(ValveCircuit(net, (HIGH_MU,), out), RATE)
    found = chain.process(sine(1000.0, peak=0.01, seconds=0.2, rate_hz=RATE))[RATE // 10 :]
    gain = np.dot(found, sine(1000.0, seconds=0.1, rate_hz=RATE)) / len(found) * 2 / 0.01
    assert -68 < gain < -45


@pytest.mark.parametrize("cut", [1, 32, 77, 128, 4096])
def test_blocks_of_any_size_give_the_same_samples(cut):
    signal = sine(220.0, peak=0.4, seconds=0.05, rate_hz=RATE)
    whole = ValveChain(preamp("cold high gain", HARD), RATE).process(signal)
    chain = ValveChain(preamp("cold high gain", HARD), RATE)
    pieces = [chain.process(signal[start : start + cut]) for start in range(0, len(signal), cut)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


def test_what_is_no_row_of_stages_is_refused():
    """A plate that feeds the grid after the next."""
    net = jack()
    first = Stage().add_to(net, 1, "jack")
    second = Stage().add_to(net, 2, first)
    third = Stage().add_to(net, 3, second)
    net.resistor(first, "grid 3", 1e6)
    with pytest.raises(SignalError, match="neighbour"):
        ValveChain(ValveCircuit(net, (HIGH_MU,) * 3, third), RATE)


def test_an_inductor_resists_as_it_should():
    """1/(2π) H beside 1 kΩ: at 1 kHz the corner of a high pass, −3.01 dB; ωL = R, closed form."""
    net = Circuit()
    net.source("in")
    net.resistor("in", "out", 1e3)
    net.inductor("out", "0", 1 / (2 * np.pi))
    found = response_db(
        *transfer_function(net.discretise(rate_hz=1e6, outputs=["out"])), np.array([1000.0, 100.0]), 1e6
    )
    np.testing.assert_allclose(found, [-3.0103, -20.043], atol=2e-3)
