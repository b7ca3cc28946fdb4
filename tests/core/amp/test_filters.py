import numpy as np
import pytest
from scipy.signal import freqs, freqz, lfilter

from fatsignal.core.amp.circuit import Circuit, transfer_function
from fatsignal.core.amp.filters import RationalFilter, cookbook_section, response_db
from fatsignal.core.amp.matched_sections import matched_section, prototype_db
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


def test_coefficients_are_those_that_the_cookbook_prints():
    """R. Bristow-Johnson, "Audio EQ Cookbook" (W3C, 2021): peakingEQ and lowShelf, as they stand there."""
    amplitude, w0 = 10 ** (6 / 40), 2 * np.pi * 1000 / FS
    cos, alpha = np.cos(w0), np.sin(w0) / (2 * 0.9)
    root = 2 * np.sqrt(amplitude) * alpha
    printed = {
        "peak": (
            [1 + alpha * amplitude, -2 * cos, 1 - alpha * amplitude],
            [1 + alpha / amplitude, -2 * cos, 1 - alpha / amplitude],
        ),
        "low_shelf": (
            [
                amplitude * ((amplitude + 1) - (amplitude - 1) * cos + root),
                2 * amplitude * ((amplitude - 1) - (amplitude + 1) * cos),
                amplitude * ((amplitude + 1) - (amplitude - 1) * cos - root),
            ],
            [
                (amplitude + 1) + (amplitude - 1) * cos + root,
                -2 * ((amplitude - 1) + (amplitude + 1) * cos),
                (amplitude + 1) + (amplitude - 1) * cos - root,
            ],
        ),
    }
    for shape, (numerator, denominator) in printed.items():
        b, a = cookbook_section(shape, frequency_hz=1000, gain_db=6, q=0.9, rate_hz=FS)
        np.testing.assert_allclose(b / a[0], np.array(numerator) / denominator[0], rtol=1e-12)
        np.testing.assert_allclose(a / a[0], np.array(denominator) / denominator[0], rtol=1e-12)


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("shape", ["peak", "low_shelf", "high_shelf", "low_cut", "high_cut"])
def test_matched_sections_do_what_the_analogue_prototypes_do(shape, rate_hz):
    """Against `scipy.signal.freqs` of the Audio EQ Cookbook's H(s), to 15.9 kHz: bilinear ones are off by up to 8."""
    at_hz = np.geomspace(20, 15_900, 200)
    for frequency_hz in (60, 400, 2000, 5000, 8000):
        for gain_db in (-12, 6):
            values = {"frequency_hz": frequency_hz, "gain_db": gain_db, "q": 0.7071}
            amplitude = 10 ** (gain_db / 40)
            root = np.sqrt(amplitude) / 0.7071
            b, a = {
                "peak": ([1, amplitude / 0.7071, 1], [1, 1 / (amplitude * 0.7071), 1]),
                "low_shelf": (amplitude * np.array([1, root, amplitude]), [amplitude, root, 1]),
                "high_shelf": (amplitude * np.array([amplitude, root, 1]), [1, root, amplitude]),
                "low_cut": ([1, 0, 0], [1, 1 / 0.7071, 1]),
                "high_cut": ([1], [1, 1 / 0.7071, 1]),
            }[shape]
            meant = 20 * np.log10(np.abs(freqs(b, a, at_hz / frequency_hz)[1]))
            section = matched_section(shape, rate_hz=rate_hz, **values)
            heard = meant > -40
            np.testing.assert_allclose(response_db(*section, at_hz, rate_hz)[heard], meant[heard], atol=0.85)
            np.testing.assert_allclose(prototype_db(shape, at_hz=at_hz, **values), meant, atol=1e-6)
            assert np.abs(np.roots(section[1])).max() < 1
    with pytest.raises(ValueError, match="no equaliser section has the shape"):
        matched_section("notch", frequency_hz=100, gain_db=0, q=1, rate_hz=FS)
