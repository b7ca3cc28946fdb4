"""Delay and polarity through amplifiers that are not ours: clippers from formulas, cabinets from scipy's filters."""

import numpy as np
import pytest
from scipy.signal import butter, iirpeak, lfilter, sosfilt

from fatsignal.core.timing.delay import align
from tests.signals import FS, delayed, noise, plucks


def clean(signal):
    return signal


def soft(signal):
    return np.tanh(6 * signal)


def uneven(signal):
    """One side clips earlier than the other; the coupling capacitor takes the shift off."""
    lifted = 8 * signal + 0.3
    clipped = np.where(lifted > 0, np.tanh(lifted), 0.6 * np.tanh(lifted / 0.6))
    return sosfilt(butter(1, 30, "high", fs=FS, output="sos"), clipped)


def lead(signal):
    tightened = sosfilt(butter(1, 300, "high", fs=FS, output="sos"), signal)
    return np.tanh(30 * tightened)


def two_stages(signal):
    first = -np.tanh(10 * sosfilt(butter(1, 120, "high", fs=FS, output="sos"), signal))
    between = sosfilt(butter(1, [80, 9_000], "band", fs=FS, output="sos"), first)
    return -np.tanh(8 * between)


def open_back(signal):
    return sosfilt(butter(2, [90, 5_000], "band", fs=FS, output="sos"), signal)


def closed_back(signal):
    low = sosfilt(butter(3, [70, 4_200], "band", fs=FS, output="sos"), signal)
    return low + 0.8 * lfilter(*iirpeak(2_600, 2.0, fs=FS), low)


@pytest.mark.parametrize("amp", [clean, soft, uneven, lead, two_stages])
@pytest.mark.parametrize(("cabinet", "frames", "polarity"), [(open_back, 37.4, 1), (closed_back, 212.0, -1)])
def test_polarity_is_right_and_the_delay_within_seven_samples(amp, cabinet, frames, polarity):
    """Seven samples at 48 kHz are 5 cm of air: less than a microphone stands away from the cone."""
    di = plucks(6.0, seed=11)
    heard = cabinet(amp(di))
    heard = polarity * delayed(heard / np.std(heard), frames) + 0.01 * noise(6, seed=9)
    found = align(di, heard, rate_hz=FS)
    assert found.polarity == polarity
    assert found.delay_samples == pytest.approx(frames, abs=7)
    assert found.confidence > 0.2
