import numpy as np
import pytest
from scipy.signal import firwin, upfirdn

from fatsignal.core.lowpass import decimated, windowed_sinc
from tests.signals import noise


@pytest.mark.parametrize("taps", [41, 161, 193])
@pytest.mark.parametrize("cutoff", [0.1, 0.125, 0.98 / 8])
def test_a_filter_is_the_one_that_a_reference_library_designs(taps, cutoff):
    """Against `scipy.signal.firwin`, with the windows of Kaiser and Hamming."""
    for window, named in ((np.kaiser(taps, 5.0), ("kaiser", 5.0)), (np.hamming(taps), "hamming")):
        np.testing.assert_allclose(windowed_sinc(cutoff, window), firwin(taps, cutoff, window=named), atol=1e-15)


def test_lowering_a_rate_is_filtering_and_leaving_out():
    signal, taps = noise(0.1), windowed_sinc(0.2, np.hamming(41))
    expected = upfirdn(taps, signal, down=5)[8 : 8 + 900]
    np.testing.assert_allclose(decimated(signal, taps, 5, 900), expected, atol=1e-12)
