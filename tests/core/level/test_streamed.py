"""What is measured block by block is what is measured at once, whatever the blocks."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.clip import Clip
from fatsignal.core.level.loudness import LoudnessMeter, block_powers
from fatsignal.core.level.peak import FlatTops, extent_of, flat_tops
from fatsignal.core.level.report import measure_channel, measure_level, played_average_dbfs
from fatsignal.core.level.true_peak import TruePeak, true_peak_dbtp
from fatsignal.core.tone.tone_distance import SpectrumMeter, third_octave_levels_db
from fatsignal.errors import SignalError
from tests.signals import FS, plucks

PLUCKED = plucks(2.0)
SIGNAL = np.clip(1.6 * PLUCKED / np.abs(PLUCKED).max(), -0.9, 0.9)
cuts = st.lists(st.integers(1, 30_000), min_size=1, max_size=40)


def cut(signal, lengths):
    at = 0
    for length in lengths:
        yield signal[at : at + length]
        at += length
    yield signal[at:]


@given(cuts)
@settings(max_examples=40, deadline=None)
def test_every_level_figure_is_the_same_whatever_the_blocks(lengths):
    whole = measure_level(Clip.mono(SIGNAL, FS))
    found = measure_channel(lambda: cut(SIGNAL, lengths), rate_hz=FS, frames=len(SIGNAL))
    assert found.peak_dbfs == whole.peak_dbfs[0]
    assert found.true_peak_dbtp == whole.true_peak_dbtp[0]
    assert found.flat_top_runs == whole.flat_top_runs[0] > 0
    assert found.loudness_lufs == pytest.approx(whole.loudness_lufs, abs=1e-9)
    assert found.rms_dbfs == pytest.approx(whole.rms_dbfs[0], abs=1e-9)
    assert found.average_dbfs == pytest.approx(played_average_dbfs(Clip.mono(SIGNAL, FS))[0], abs=1e-9)
    assert found.dc == pytest.approx(whole.dc[0], abs=1e-12)


@pytest.mark.parametrize("rate_hz", [8_000, 11_025, 44_100, 192_000])
def test_loudness_at_odd_rates_is_the_same_whatever_the_blocks(rate_hz):
    signal = np.random.default_rng(3).uniform(-0.5, 0.5, round(1.37 * rate_hz))
    meter = LoudnessMeter(rate_hz=rate_hz, most_frames=len(signal))
    for piece in cut(signal, [1, 7, 1_000, 3, 4_999]):
        meter.push(piece[:, None])
    np.testing.assert_allclose(meter.block_powers(), block_powers(Clip.mono(signal, rate_hz)), rtol=1e-12)


@pytest.mark.parametrize("seconds", [0.0, 0.05, 0.399, 0.4, 0.45])
def test_a_sound_that_ends_before_it_was_said_to_is_measured_as_far_as_it_came(seconds):
    """A file that breaks off: its header promises more."""
    signal = plucks(2.0)[: round(seconds * FS)]
    meter = LoudnessMeter(rate_hz=FS, most_frames=10 * FS)
    meter.push(signal[:, None])
    np.testing.assert_allclose(meter.block_powers(), block_powers(Clip.mono(signal, FS)), rtol=1e-12)


def test_a_peak_between_two_blocks_is_found():
    """A quarter of the rate at 45 degrees: the wave is 3.01 dB above its samples, EBU Tech 3341 case 16."""
    sine = 0.5 * np.sin(np.pi / 2 * np.arange(4_800) + np.pi / 4)
    found = TruePeak(rate_hz=FS)
    for piece in cut(sine, [2_399, 1, 1]):
        found.push(piece)
    assert found.dbtp() == true_peak_dbtp(sine, rate_hz=FS)
    assert found.dbtp() == pytest.approx(-6.02, abs=0.2)


def test_a_flat_top_that_lies_across_blocks_is_one_and_at_its_place():
    signal = np.concatenate((np.zeros(10), np.full(5, 0.8), np.zeros(4), np.full(3, -0.8), np.zeros(3), [0.8, 0.8]))
    for at in range(1, len(signal)):
        tops = FlatTops(extent_of(signal), most_places=8)
        for piece in (signal[:at], signal[at:]):
            tops.push(piece)
        assert tops.count == 2
        assert tops.places == flat_tops(signal) == [10, 19]


def test_of_too_many_flat_tops_all_are_counted_and_the_first_are_placed():
    signal = np.tile([0.9, 0.9, 0.9, 0.0], 100)
    tops = FlatTops(extent_of(signal), most_places=7)
    tops.push(signal)
    assert tops.count == 100
    assert tops.places == [4 * number for number in range(7)]


@given(cuts)
@settings(max_examples=30, deadline=None)
def test_a_spectrum_is_the_same_whatever_the_blocks(lengths):
    meter = SpectrumMeter(rate_hz=FS, frames=len(SIGNAL))
    for piece in cut(SIGNAL, lengths):
        meter.push(piece)
    np.testing.assert_allclose(meter.third_octave_levels_db(), third_octave_levels_db(SIGNAL, rate_hz=FS), atol=1e-9)


def test_the_spectrum_is_that_of_the_reference_library():
    """scipy.signal.welch, the same segments; a library of its own, no code of ours."""
    from scipy.signal import welch

    frequency_hz, density = welch(SIGNAL, FS, nperseg=16_384)
    expected = []
    for number in range(19, 40):
        centre_hz = 10 ** (number / 10)
        inside = (frequency_hz >= centre_hz * 10**-0.05) & (frequency_hz < centre_hz * 10**0.05)
        expected.append(10 * np.log10(density[inside].sum() + 1e-20))
    np.testing.assert_allclose(third_octave_levels_db(SIGNAL, rate_hz=FS), expected, atol=1e-9)


def test_samples_that_are_no_numbers_are_refused_with_their_place():
    broken = SIGNAL.copy()
    broken[70_000] = np.nan
    with pytest.raises(SignalError, match="not finite numbers"):
        measure_channel(lambda: cut(broken, [65_536]), rate_hz=FS, frames=len(broken))
