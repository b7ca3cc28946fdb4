"""The solid-state preamp against ngspice and against what active bands do."""

import numpy as np
import pytest

from fatsignal.core.amp.bass_preamp import LIMIT, OUTPUT, bass_preamp
from fatsignal.core.amp.junctions import JunctionCircuit
from fatsignal.core.amp.preamps import Knobs
from tests.reference import spice, spice_circuits
from tests.signals import sine

RATE = 192_000
FREQUENCY_HZ = np.array([50, 600, 8000])


def running(**changed):
    knobs = {"gain": 0.3, "bass": 0.5, "middle": 0.5, "treble": 0.5, "bright": False, **changed}
    return JunctionCircuit(bass_preamp(Knobs(**knobs)), [LIMIT], output=OUTPUT, rate_hz=RATE)


def response_db(**changed):
    click = np.zeros(RATE)
    click[0] = 1e-4
    return 20 * np.log10(np.abs(np.fft.rfft(running(**changed).process(click) / 1e-4))[FREQUENCY_HZ])


@pytest.mark.parametrize("peak_v", [0.05, 1.5])
def test_it_agrees_with_a_circuit_simulator(tmp_path, peak_v):
    knobs = Knobs(gain=0.6, bass=0.8, middle=0.3, treble=0.7, bright=True)
    netlist = spice_circuits.netlist(bass_preamp(knobs), [LIMIT], source=f"SIN(0 {peak_v} 98)")
    truth = spice.run(netlist + "\n.tran 4u 0.06 0 2u\n.end\n", analysis="tran", vector=f"v({OUTPUT})", folder=tmp_path)
    found = JunctionCircuit(bass_preamp(knobs), [LIMIT], output=OUTPUT, rate_hz=RATE).process(
        sine(98.0, peak=peak_v, seconds=0.06, rate_hz=RATE)
    )
    expected = np.interp(np.arange(len(found)) / RATE, truth[:, 0], truth[:, 1])
    assert np.sum((found - expected) ** 2) / np.sum(expected**2) < 1e-4


def test_bands_in_the_middle_are_flat_and_reach_ten_decibels_each_way():
    """Baxandall 1952: flat with both controls in the middle; lift and cut are alike."""
    flat = response_db()
    assert np.ptp(flat) < 0.3
    for number, name in enumerate(("bass", "middle", "treble")):
        up, down = (response_db(**{name: position}) - flat for position in (1.0, 0.0))
        assert up[number] > 8
        np.testing.assert_allclose(up, -down, atol=0.2)
        assert np.argmax(up) == number


def test_it_limits_softly():
    loud = running(gain=0.8).process(sine(98.0, peak=1.0, seconds=0.3, rate_hz=RATE))
    louder = running(gain=0.8).process(sine(98.0, peak=2.0, seconds=0.3, rate_hz=RATE))
    assert np.abs(louder).max() < 1.15 * np.abs(loud).max()
