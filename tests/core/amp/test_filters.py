import numpy as np
import pytest
from scipy.signal import freqz, lfilter

from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import RationalFilter, cookbook_section, response_db
from tests.signals import FS, noise


def test_a_resistor_and_a_capacitor_fall_by_3_db_at_their_corner():
    """1/(2πRC), closed form: 10 kΩ and 10 nF give 1591.5 Hz."""
    net = Circuit()
    net.source("in")
    net.resistor("in", "out", 10e3)
    net.capacitor("out", "0", 10e-9)
    b, a = transfer_function(net.discretise(rate_hz=1_000_000, outputs=["out"]))
    assert response_db(b, a, np.array([1591.549]), 1_000_000)[0] == pytest.approx(-3.0103, abs=1e-3)


def test_a_stiff_capacitor_has_the_same_direct_gain_and_does_not_ring():
    net = Circuit()
    net.source("in")
    net.resistor("in", "out", 10.0)
    net.capacitor("out", "0", 1e-6, stiff=True)
    b, a = transfer_function(net.discretise(rate_hz=48_000, outputs=["out"]))
    step = lfilter(b, a, np.ones(50))
    assert step[-1] == pytest.approx(1.0, abs=1e-6)
    assert (np.diff(step) >= -1e-12).all()


@pytest.mark.parametrize("shape", ["peak", "low_shelf", "high_shelf", "low_cut", "high_cut"])
def test_sections_against_a_reference_and_at_their_landmarks(shape):
    """Audio EQ Cookbook: gain at centre and ends by definition; the running filter against scipy."""
    b, a = cookbook_section(shape, frequency_hz=1000, gain_db=6, q=0.7071, rate_hz=FS)
    frequency_hz = np.array([20.0, 1000.0, 20_000.0])
    expected = {
        "peak": (0, 6, 0), "low_shelf": (6, 3, 0), "high_shelf": (0, 3, 6),
        "low_cut": (None, -3.01, 0), "high_cut": (0, -3.01, None),
    }[shape]  # fmt: skip
    found = response_db(b, a, frequency_hz, FS)
    for value, wanted in zip(found, expected, strict=True):
        assert value < -40 if wanted is None else value == pytest.approx(wanted, abs=0.1)
    reference = 20 * np.log10(np.abs(freqz(b, a, frequency_hz, fs=FS)[1]))
    np.testing.assert_allclose(found, reference, atol=1e-6)
    signal = noise(0.1)
    np.testing.assert_allclose(RationalFilter(b, a).process(signal), lfilter(b, a, signal), atol=1e-10)
