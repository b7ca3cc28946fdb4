"""The DI as a ruler: two placements that were played differently, against the filters that they were made with."""

import numpy as np
import pytest
from scipy.signal import butter, freqz, lfilter

from fatsignal.core.stereo.ruler import placement_difference
from fatsignal.errors import SignalError
from tests.signals import FS, noise, plucks

ONE, OTHER = butter(1, [120, 3_000], "bandpass", fs=FS), butter(1, [250, 6_000], "bandpass", fs=FS)


def clip(number, filter_, *, drive=0.0, noise_level=1e-4):
    """A DI of its own playing, and the microphone behind a filter."""
    di = plucks(8.0, seed=number)
    amp = np.tanh(drive * di) / drive if drive else di
    return di, lfilter(*filter_, amp) + noise_level * noise(8, seed=100 + number)


def expected_db(centre_hz):
    one, other = (abs(freqz(*each, worN=[centre_hz], fs=FS)[1][0]) for each in (ONE, OTHER))
    return 20 * np.log10(other / one)


@pytest.mark.parametrize("drive", [0.0, 3.0])
def test_the_difference_of_two_filters_though_the_playing_differed(drive):
    """The ratio of the two filters' responses (scipy's freqz), within what it says of itself."""
    found = placement_difference(*clip(1, ONE, drive=drive), *clip(2, OTHER, drive=drive), rate_hz=FS)
    told = [band for band in found.bands if 100 < band.centre_hz < 4000]
    off = np.array([band.difference_db - expected_db(band.centre_hz) for band in told])
    sigma = np.array([band.uncertainty_db for band in told])
    assert np.abs(off).max() < 1.5
    assert np.mean(np.abs(off) < 3 * sigma + 0.15) > 0.9
    assert found.coherence > 0.4


def test_without_the_ruler_the_playing_would_be_taken_for_the_placement():
    """The same filter twice: the spectra differ by what was played, the ruled difference does not."""
    found = placement_difference(*clip(3, ONE), *clip(1, ONE), rate_hz=FS)
    assert max(abs(band.difference_db) for band in found.bands if 100 < band.centre_hz < 4000) < 0.5
    assert found.says == "free of the playing"


def test_how_far_it_can_be_trusted_is_told():
    clean, driven = (
        placement_difference(*clip(1, ONE, drive=drive), *clip(2, OTHER, drive=drive), rate_hz=FS)
        for drive in (0.0, 30.0)
    )
    assert driven.coherence < clean.coherence
    assert "the amp distorts" in driven.says
    mean = [
        np.mean([band.uncertainty_db for band in each.bands if band.uncertainty_db is not None])
        for each in (clean, driven)
    ]
    assert mean[1] > 2 * mean[0]
    strangers = placement_difference(
        plucks(4.0, seed=7), noise(4, seed=1), plucks(4.0, seed=8), noise(4, seed=2), rate_hz=FS
    )
    assert "no ruler" in strangers.says or "nothing in common" in strangers.says


def test_half_as_much_noise_is_more_sure():
    sure, unsure = (
        placement_difference(*clip(1, ONE, noise_level=level), *clip(2, OTHER, noise_level=level), rate_hz=FS)
        for level in (1e-3, 1e-2)
    )
    for one, other in zip(sure.bands, unsure.bands, strict=True):
        if other.uncertainty_db is not None and one.uncertainty_db is not None and 100 < one.centre_hz < 4000:
            assert one.uncertainty_db < other.uncertainty_db


def test_two_unsure_clips_are_less_sure_than_one():
    """Independent errors add as squares (Bendat and Piersol)."""
    unsure, other = clip(1, ONE, noise_level=1e-2), clip(2, ONE, noise_level=1e-2)
    sure = clip(3, ONE, noise_level=1e-6)
    one, both = (placement_difference(*unsure, *each, rate_hz=FS) for each in (sure, other))
    ratios = [
        mine.uncertainty_db / theirs.uncertainty_db
        for mine, theirs in zip(both.bands, one.bands, strict=True)
        if mine.uncertainty_db and theirs.uncertainty_db and 100 < mine.centre_hz < 4000
    ]
    assert np.median(ratios) == pytest.approx(np.sqrt(2), rel=0.15)


def test_what_cannot_be_ruled_is_said():
    di, mic = clip(1, ONE)
    with pytest.raises(SignalError, match="the DI is silent"):
        placement_difference(np.zeros(len(di)), mic, di, mic, rate_hz=FS)
    with pytest.raises(SignalError, match="not of one clip"):
        placement_difference(di[:-1], mic, di, mic, rate_hz=FS)
    with pytest.raises(SignalError, match="tells too little: play for a second"):
        placement_difference(di[:1000], mic[:1000], di, mic, rate_hz=FS)
    with pytest.raises(SignalError, match="not finite"):
        placement_difference(di, np.full(len(di), np.nan), di, mic, rate_hz=FS)
