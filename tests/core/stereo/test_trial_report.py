import numpy as np
import pytest

from fatsignal.core.level.third_octaves import CENTRES_HZ, beside_each_other
from fatsignal.core.stereo.trial_report import report_trial
from tests.signals import FS, noise

A, B = noise(4, seed=41), 0.5 * noise(4, seed=42)


def test_a_silent_channel_and_one_cable_for_two_are_said():
    silent = report_trial({"mic A": A, "mic B": np.zeros(len(A))}, A, A, rate_hz=FS)
    assert silent.says == ["mic B is silent: is its cable in, its input the right one?"]
    assert silent.pairs == []
    twice = report_trial({"mic A": A, "mic B": A.copy()}, 2 * A, 2 * A, rate_hz=FS)
    assert twice.says == ["mic A and mic B are identical: do both inputs get one cable?"]
    nothing = report_trial({"mic A": np.zeros(FS)}, np.zeros(FS), np.zeros(FS), rate_hz=FS)
    assert (nothing.loudness_lufs, nothing.heard, nothing.stereo) == (None, None, None)


def test_a_clip_that_was_stopped_at_once_is_told_as_too_short():
    blip = A[: FS // 20]
    found = report_trial({"mic A": blip, "mic B": blip * 0.5}, blip, blip, rate_hz=FS)
    assert found.pairs == []
    assert found.says == ["0.05 s are too short to compare: record it again"]


@pytest.mark.parametrize("below_db", [20, 60])
def test_how_far_it_is_above_what_is_heard_while_nobody_plays(below_db):
    """A moment of talk in the count-in does not count: the quietest quarter of a second does."""
    quiet = 10 ** (-below_db / 20) * noise(2, seed=43)
    quiet[FS:] += 0.5 * noise(1, seed=44)
    (mic,) = report_trial({"mic A": A}, A, A, rate_hz=FS, before={"mic A": quiet}).mics
    assert mic.above_noise_db == pytest.approx(below_db, abs=0.5)
    assert report_trial({"mic A": A}, A, A, rate_hz=FS).mics[0].above_noise_db is None


def test_an_image_is_there_where_left_and_right_differ():
    assert report_trial({"mic A": A, "mic B": B}, A + B, A + B, rate_hz=FS).stereo is None
    found = report_trial({"mic A": A, "mic B": B}, A, B, rate_hz=FS)
    assert found.stereo.correlation == pytest.approx(0.0, abs=0.02)
    # Side to the right: what only the right has lies there.
    right = report_trial({"mic A": A, "mic B": B}, np.zeros(len(A)), A, rate_hz=FS)
    assert all(x == pytest.approx(y, abs=2e-3) for x, y in right.points)


def test_spectra_stand_beside_each_other_however_loud_they_are():
    """Against the mean of both powers: two that differ by 6 dB in one half lie 3 dB apart around it at most."""
    flat = np.zeros(len(CENTRES_HZ))
    bright = np.where(CENTRES_HZ > 1_000, 6.0, 0.0)
    first, second = beside_each_other(np.array([flat - 20, bright]))
    mean = 10 * np.log10((10 ** (first / 10) + 10 ** (second / 10)) / 2)
    np.testing.assert_allclose(mean, 0, atol=1e-9)
    difference = second - first
    assert difference[-1] - difference[0] == pytest.approx(6.0)
    again = beside_each_other(np.array([flat + 40, bright]))
    np.testing.assert_allclose(again, [first, second], atol=1e-9)
    (alone,) = beside_each_other(np.array([bright]))
    assert alone.max() == 0
