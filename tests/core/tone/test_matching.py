"""Matching a balance: known equalisers are undone, what is too far is told."""

import numpy as np
import pytest

from fatsignal.core.amp.matched_sections import prototype_db
from fatsignal.core.tone.blocks import Band
from fatsignal.core.tone.matching import MOST_DB, matching_bands
from fatsignal.core.tone.tone_distance import BANDS_HZ

FREQUENCY_HZ = np.array(BANDS_HZ)


def response(*bands):
    total = np.zeros(len(FREQUENCY_HZ))
    for band in bands:
        total = total + prototype_db(
            band.shape, frequency_hz=band.frequency_hz, gain_db=band.gain_db, q=band.q, at_hz=FREQUENCY_HZ
        )
    return total


@pytest.mark.parametrize(
    "away",
    [
        [Band(shape="peak", frequency_hz=700, gain_db=-5, q=1.0)],
        [Band(shape="low_shelf", frequency_hz=150, gain_db=5), Band(shape="high_shelf", frequency_hz=4e3, gain_db=-6)],
        [
            Band(shape="peak", frequency_hz=300, gain_db=4, q=0.8),
            Band(shape="peak", frequency_hz=2e3, gain_db=6, q=1),
        ],
    ],
)
def test_what_an_equaliser_did_is_undone(away):
    """The cookbook's sections, undone to a fraction of a decibel: their inverses are of the same kind."""
    away_db = response(*away)
    matched = matching_bands(away_db)
    rest = away_db + response(*matched.bands)
    rest -= np.median(rest)
    assert np.abs(rest).max() < 1.2
    assert np.mean(np.abs(rest)) < 0.4
    np.testing.assert_allclose(matched.left_db, -(rest), atol=1e-9)
    assert "0." in matched.says
    assert "still" not in matched.says


def test_a_balance_that_is_the_same_needs_no_band():
    assert matching_bands(np.zeros(len(BANDS_HZ))).bands == ()


def test_more_than_it_should_turn_is_told_and_not_turned():
    far = np.where(FREQUENCY_HZ > 3000, 25.0, 0.0)
    matched = matching_bands(far)
    assert max(abs(band.gain_db) for band in matched.bands) <= MOST_DB
    assert "kHz it has" in matched.says
    assert "dB too much still" in matched.says


def test_single_thirds_are_smoothed_over():
    """A narrow hole, as a comb of two microphones leaves, is none that an equaliser should fill."""
    hole = np.zeros(len(BANDS_HZ))
    hole[10] = -12.0
    lifted = response(*matching_bands(hole).bands)
    assert lifted[10] < 6.5
