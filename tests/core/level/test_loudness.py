import numpy as np
import pyloudnorm
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import sosfilt

from fatsignal.core.clip import Clip
from fatsignal.core.level.loudness import block_powers, integrated_loudness_lufs, k_weighting
from tests.signals import FS, noise, sine


def stereo(left, right=None):
    return Clip(np.column_stack([left, left if right is None else right]), FS)


def at_dbfs(level, seconds):
    return sine(1000.0, peak=10 ** (level / 20), seconds=seconds)


def test_full_scale_997_hz_sine_in_one_channel_reads_minus_3_01():
    """ITU-R BS.1770-5, Annex 1: the calibration of the meter."""
    loudness = integrated_loudness_lufs(Clip.mono(sine(997.0, seconds=10), FS))
    assert loudness == pytest.approx(-3.01, abs=0.005)


def test_coefficients_at_48_khz_are_the_printed_ones():
    """ITU-R BS.1770-5, Annex 1, tables 1 and 2."""
    printed = [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
    ]
    np.testing.assert_allclose(k_weighting(FS), printed, atol=5e-9)


@pytest.mark.parametrize(
    ("levels_and_seconds", "expected"),
    [
        ([(-23, 20)], -23.0),  # signal 1
        ([(-33, 20)], -33.0),  # signal 2
        ([(-36, 10), (-23, 60), (-36, 10)], -23.0),  # signal 3
        ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0),  # signal 4
        ([(-26, 20), (-20, 20.1), (-26, 20)], -23.0),  # signal 5
    ],
)
def test_minimum_requirement_signals(levels_and_seconds, expected):
    """EBU Tech 3341 (2016), table 1, signals 1 to 5; tolerance ±0.1 LU."""
    signal = np.concatenate([at_dbfs(level, seconds) for level, seconds in levels_and_seconds])
    assert integrated_loudness_lufs(stereo(signal)) == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
def test_agrees_with_a_reference_implementation(rate_hz):
    """pyloudnorm with the filter class that reproduces the printed coefficients."""
    signal = 0.1 * noise(8, rate_hz=rate_hz) * (1 + np.sin(np.arange(8 * rate_hz) / rate_hz))
    meter = pyloudnorm.Meter(rate_hz, filter_class="DeMan")
    expected = meter.integrated_loudness(signal)
    assert integrated_loudness_lufs(Clip.mono(signal, rate_hz)) == pytest.approx(expected, abs=0.02)


def test_silence_has_no_loudness():
    assert integrated_loudness_lufs(Clip.mono(np.zeros(FS), FS)) == -np.inf
    assert integrated_loudness_lufs(Clip.mono(np.zeros(0), FS)) == -np.inf


def test_a_note_shorter_than_a_block_is_measured_all_the_same():
    short = integrated_loudness_lufs(Clip.mono(sine(997.0, seconds=0.2), FS))
    assert short == pytest.approx(-3.01, abs=0.3)


@settings(max_examples=15, deadline=None)
@given(gain_db=st.floats(-30, 12))
def test_loudness_follows_gain_decibel_for_decibel(gain_db):
    signal = noise(1.0, seed=1770)
    louder = integrated_loudness_lufs(Clip.mono(signal * 10 ** (gain_db / 20), FS))
    assert louder - integrated_loudness_lufs(Clip.mono(signal, FS)) == pytest.approx(gain_db, abs=1e-6)


@pytest.mark.parametrize(("rate_hz", "channels"), [(48_000, 1), (44_100, 2), (11_025, 1), (22_050, 3)])
def test_block_powers_are_those_of_a_reference_filter(rate_hz, channels):
    """SciPy's second-order sections, and each block of 400 ms summed by itself."""
    samples = np.random.default_rng(rate_hz).normal(0, 0.1, (round(2.35 * rate_hz), channels))
    weighted = sosfilt(k_weighting(rate_hz), samples, axis=0)
    block = round(0.4 * rate_hz)
    starts = [round(index * 0.1 * rate_hz) for index in range(20)]
    expected = [np.square(weighted[start : start + block]).sum() / block for start in starts]
    np.testing.assert_allclose(block_powers(Clip(samples, rate_hz)), expected, rtol=1e-9)
