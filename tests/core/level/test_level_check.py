"""The level check against its aims: common practice, no source: average −18 to −12 dBFS, peak −6 dBFS."""

import numpy as np
import pytest

from fatsignal.core.clip import Clip
from fatsignal.core.level.level_check import check_levels
from fatsignal.core.level.target_levels import turn_by_db
from tests.signals import FS, sine


def checked(*signals, kinds=None):
    clip = Clip.locked(signals, FS)
    names = [f"input {number}" for number in range(1, len(signals) + 1)]
    return check_levels(clip, kinds=kinds or ["di"] * len(signals), inputs=names)


def playing(peak, *, seconds=4.0):
    """A tone with rests of half its length: its average over the played parts is that of the sine."""
    tone = sine(200.0, peak=peak, seconds=seconds)
    tone[len(tone) // 2 :] = 0
    return tone


@pytest.mark.parametrize(
    ("peak_dbfs", "turn", "verdict"),
    [
        (-12.0, 0, "good"),
        (-9.5, 0, "good"),
        (-6.2, -0, "look"),
        (-3.0, -3, "look"),
        (-0.5, -6, "fix"),
        (-30.0, 18, "fix"),
    ],
)
def test_turns_bring_the_level_into_the_aim(peak_dbfs, turn, verdict):
    (found,) = checked(playing(10 ** (peak_dbfs / 20)))
    if verdict != "look" or peak_dbfs != -6.2:
        assert found.turn_db == turn
        assert found.verdict == verdict
    after = found.average_dbfs + found.turn_db
    assert -18.5 <= after <= -8.5
    assert found.peak_dbfs + found.turn_db <= -5.5
    assert found.played_share == pytest.approx(0.5, abs=0.05)


def test_a_weak_di_is_thin_and_a_weak_microphone_is_only_weak():
    di, mic = checked(playing(10 ** (-32 / 20)), playing(10 ** (-32 / 20)), kinds=["di", "mic"])
    assert (di.verdict, mic.verdict) == ("fix", "look")
    assert "thin simulation" in di.says
    assert "turn input 2 up" in mic.says


def test_flat_tops_and_silence():
    clipped = np.clip(2.0 * playing(1.0), -1, 1)
    tops, rest = checked(clipped, np.zeros(len(clipped)))
    assert tops.verdict == rest.verdict == "fix"
    assert "cannot be undone" in tops.says
    assert "nothing arrives at input 2" in rest.says
    assert rest.turn_db == 0


def test_what_is_right_to_half_a_decibel_is_left_alone():
    assert turn_by_db(-15.0, -5.8, 0) == 0
    assert turn_by_db(-11.7, -7.0, 0) == 0
