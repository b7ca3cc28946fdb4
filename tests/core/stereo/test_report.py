"""Correlation, mono, width and image, against what follows from how two channels were made."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fatsignal.core.stereo.comb import comb, comb_db
from fatsignal.core.stereo.cross_spectra import SpectraOfTwo, cross_spectra
from fatsignal.core.stereo.report import from_mid_side, mid_side, report_stereo
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.errors import InvalidSetting, SignalError
from tests.signals import FS, delayed, noise

ROOT = math.sqrt(2)


@pytest.mark.parametrize(
    ("right", "correlation", "lost_db", "width"),
    [
        (lambda one, other: one, 1.0, 0.0, 0.0),
        (lambda one, other: other, 0.0, 10 * math.log10(2), 1.0),
        (lambda one, other: -one, -1.0, 120.0, 2.0),
        (lambda one, other: (one + other) / ROOT, 1 / ROOT, 10 * math.log10(2 / (1 + 1 / ROOT)), 1 - 1 / ROOT),
    ],
    ids=["one", "two", "turned over", "half alike"],
)  # fmt: skip
def test_what_follows_from_the_correlation(right, correlation, lost_db, width):
    """Of equal powers the mean has (1 + r)/2 of it, and the side (1 − r)/2 (formula)."""
    one, other = noise(4, seed=1), noise(4, seed=2)
    found = report_stereo(one, right(one, other), rate_hz=FS)
    assert found.correlation == pytest.approx(correlation, abs=0.01)
    assert found.mono_loss_db == pytest.approx(lost_db, abs=0.05)
    assert found.width == pytest.approx(width, abs=0.01)
    assert found.level_difference_db == pytest.approx(0.0, abs=0.05)
    assert found.image == pytest.approx(0.0, abs=0.01)
    assert found.identical == (correlation == 1.0)
    for band in found.bands:
        assert band.correlation == pytest.approx(correlation, abs=0.1)
        assert band.mono_loss_db == pytest.approx(lost_db, abs=0.5)
        if correlation > -1:
            assert band.sum_db == pytest.approx(10 * math.log10(1 + correlation), abs=0.5)


def test_right_louder_later_and_turned_over():
    source = noise(3, seed=3)
    found = report_stereo(source, -2 * delayed(source, 4.8), rate_hz=FS)
    assert found.level_difference_db == pytest.approx(6.02, abs=0.01)
    assert found.delay_ms == pytest.approx(0.1, abs=1e-4)
    assert found.polarity == -1
    assert found.image == pytest.approx(0.6, abs=0.001)


def test_a_band_that_a_delay_hollows_out_is_told():
    """3.1 cm at 343.2 m/s are 90 µs: the first notch lies at 5.5 kHz, in the bite's upper neighbour (formula)."""
    source = noise(6, seed=4)
    found = report_stereo(source, delayed(source, 0.031 / speed_of_sound_m_s() * FS), rate_hz=FS)
    by_name = {band.name: band for band in found.bands}
    assert by_name["boom"].sum_db == pytest.approx(3.01, abs=0.05)
    assert by_name["fizz"].sum_db < -1.5
    assert by_name["fizz"].coherence > 0.95


def test_one_silent_channel_two_lengths_and_nothing_at_all():
    found = report_stereo(noise(), np.zeros(FS), rate_hz=FS)
    assert (found.level_difference_db, found.delay_ms, found.polarity, found.image) == (None, None, None, -1.0)
    assert found.mono_loss_db == pytest.approx(3.01, abs=0.01)
    assert found.bands[0].correlation is None
    with pytest.raises(SignalError, match="both channels are silent"):
        report_stereo(np.zeros(FS), np.zeros(FS), rate_hz=FS)
    with pytest.raises(SignalError, match="left has 10 frames and right 11: cut them"):
        report_stereo(np.ones(10), np.ones(11), rate_hz=FS)
    with pytest.raises(SignalError, match="not finite"):
        report_stereo(np.full(FS, np.nan), np.ones(FS), rate_hz=FS)
    # Too short for a delay; all else is told.
    assert report_stereo(noise(0.01), noise(0.01), rate_hz=FS).delay_ms is None


@given(st.floats(0, 3))
def test_mid_and_side_are_left_and_right_again(width):
    """L = M + S, R = M − S (formula); the width scales the side alone."""
    left, right = noise(0.01, seed=5), noise(0.01, seed=6)
    middle, side = mid_side(left, right)
    np.testing.assert_allclose(from_mid_side(middle, side), (left, right), atol=1e-12)
    wide = from_mid_side(middle, side, width=width)
    np.testing.assert_allclose(mid_side(*wide), (middle, width * side), atol=1e-12)


def test_blocks_of_any_length_gather_the_same():
    first, second = noise(2, seed=7), noise(2, seed=8) + noise(2, seed=7)
    whole, pieces = cross_spectra(first, second, rate_hz=FS), SpectraOfTwo(FS)
    for start in range(0, len(first), 777):
        pieces.push(first[start : start + 777], second[start : start + 777])
    assert pieces.result().segments == whole.segments
    np.testing.assert_allclose(pieces.result().cross, whole.cross, rtol=1e-9)
    # Half of the second is the first: a coherence of one half (formula).
    assert whole.coherence[50:].mean() == pytest.approx(0.5, abs=0.02)


def test_the_comb_of_ten_centimetres():
    """Notches at (2k+1)·c/(2Δd): 10 cm hollow out 1716 Hz first (formula)."""
    delay_ms = 1000 * 0.1 / speed_of_sound_m_s()
    found = comb(delay_ms)
    assert found.notches_hz[:2] == pytest.approx([1716, 5148], abs=1)
    assert found.peaks_hz[0] == pytest.approx(3432, abs=1)
    assert len(found.notches_hz) == 6
    assert found.peak_db == pytest.approx(6.02, abs=0.01)


@pytest.mark.parametrize(
    ("level_db", "depth_db", "peak_db"), [(-6.0206, 6.0206, 3.5218), (-20.0, 0.9151, 0.8279), (0.0, 120.0, 6.0206)]
)
def test_how_deep_and_how_high(level_db, depth_db, peak_db):
    """20·log10(1 ∓ g) (formula)."""
    found = comb(0.5, level_db)
    assert found.notch_depth_db == pytest.approx(depth_db, abs=1e-3)
    assert found.peak_db == pytest.approx(peak_db, abs=1e-3)
    drawn = comb_db(np.array([found.notches_hz[0], found.peaks_hz[0]]), 0.5, level_db)
    assert drawn == pytest.approx([-found.notch_depth_db, found.peak_db], abs=1e-3)


def test_turned_over_notches_and_peaks_change_places_and_no_delay_combs_nothing():
    plain, turned = comb(0.29), comb(0.29, polarity=-1)
    assert (turned.notches_hz, turned.peaks_hz) == (plain.peaks_hz, plain.notches_hz)
    assert comb(0.0).notches_hz == comb(0.0).peaks_hz == []


@pytest.mark.parametrize(("delay_ms", "level_db"), [(-1, 0), (float("nan"), 0), (2000, 0), (1, 500), (1, float("nan"))])
def test_what_combs_nothing_is_said(delay_ms, level_db):
    with pytest.raises(InvalidSetting, match="give one from"):
        comb(delay_ms, level_db)
