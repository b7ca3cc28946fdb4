"""Bumps that several parts share, made on purpose."""

import numpy as np
import pytest

from fatsignal.core.level.across_parts import across_parts
from fatsignal.core.level.third_octaves import CENTRES_HZ

AT = {hz: int(np.argmin(np.abs(CENTRES_HZ - hz))) for hz in (500, 1_000, 3_150, 5_000)}


def spectrum(*bumps, tilt=-3.0):
    """A straight slope, with bumps of so many dB at bands."""
    levels = -30 + tilt * np.log2(CENTRES_HZ / 1_000)
    for place, by_db in bumps:
        levels[place] += by_db
    return levels


def test_a_bump_that_parts_share_is_told_with_their_names():
    found = across_parts(
        {
            "left": spectrum((AT[5_000], 6)), "right": spectrum((AT[5_000] + 1, 5)),
            "bass": spectrum((AT[500], 8)), "lead": spectrum((AT[5_000], 7), (AT[1_000], 6)),
        }
    )  # fmt: skip
    (bump,) = found.bumps
    assert bump.centre_hz == pytest.approx(CENTRES_HZ[AT[5_000]])
    assert bump.parts == ["left", "right", "lead"]
    assert found.says == ["three parts share a bump at 5.0 kHz, 6 dB: place one of them differently"]


def test_a_slope_is_no_bump_and_a_lone_one_is_not_shared():
    found = across_parts({"left": spectrum(tilt=-6.0), "right": spectrum((AT[3_150], 9), tilt=-6.0)})
    assert found.bumps == []


@pytest.mark.parametrize("tilt", [-6.0, -3.0, 0.0])
def test_the_sum_of_parts_that_slope_alike_slopes_so_however_loud_they_are(tilt):
    found = across_parts({"soft": spectrum(tilt=tilt) - 40, "loud": spectrum(tilt=tilt)})
    assert found.tilt_db_per_octave == pytest.approx(tilt, abs=0.01)
