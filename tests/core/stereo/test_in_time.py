"""Three microphones made from one sound: what is told brings them onto each other, and gives the sum that is told."""

import numpy as np
import pytest

from fatsignal.core.level.third_octaves import NAMED_BANDS_HZ
from fatsignal.core.stereo.trial_report import report_trial
from tests.signals import FS, delayed, noise

SOURCE = noise(4, seed=51)


def told(**mics):
    named = {f"mic {name}": samples for name, samples in mics.items()}
    both = sum(named.values())
    return named, report_trial(named, both, both, rate_hz=FS).in_time


def summed_db(mics, band):
    frequency_hz = np.fft.rfftfreq(len(SOURCE), 1 / FS)
    inside = (frequency_hz >= band[0]) & (frequency_hz < band[1])
    powers = [np.sum(np.abs(np.fft.rfft(each)[inside]) ** 2) for each in (sum(mics), *mics)]
    return 10 * np.log10(powers[0] / sum(powers[1:]))


def test_all_are_as_late_as_the_latest_and_their_sum_is_what_is_told():
    mics, found = told(A=SOURCE, B=0.8 * delayed(SOURCE, 7.3), C=-0.6 * delayed(SOURCE, -3.5))
    assert {mic.name: mic.flipped for mic in found.mics} == {"mic A": False, "mic B": False, "mic C": True}
    late = {mic.name: mic.delay_ms / 1000 * FS for mic in found.mics}
    assert late == pytest.approx({"mic A": 7.3, "mic B": 0.0, "mic C": 10.8}, abs=0.02)
    assert found.says == "delay mic A by 7.3 samples, delay mic C by 10.8 samples, flip mic C"
    flips = {mic.name: -1 if mic.flipped else 1 for mic in found.mics}
    in_time = [flips[name] * delayed(samples, late[name]) for name, samples in mics.items()]
    for name, limits in NAMED_BANDS_HZ.items():
        assert found.now.named_db[name] == pytest.approx(summed_db(list(mics.values()), limits), abs=0.5)
        assert found.sum_of.named_db[name] == pytest.approx(summed_db(in_time, limits), abs=0.5)
    assert {found.now.named_verdicts["bite"], found.sum_of.named_verdicts["bite"]} == {"look", "good"}
    # Of three alike in amplitude 1, 0.8 and 0.6: (2.4)² over 1 + 0.64 + 0.36.
    assert found.sum_of.whole_db == pytest.approx(10 * np.log10(2.4**2 / 2), abs=0.1)


def test_one_that_hears_something_else_is_left_as_it_is():
    _, found = told(A=SOURCE, B=delayed(SOURCE, 4.0), C=noise(4, seed=52), D=delayed(SOURCE, 9.0))
    assert [mic.name for mic in found.mics] == ["mic A", "mic B", "mic D"]
    _, two = told(A=SOURCE, B=delayed(SOURCE, 4.0), C=noise(4, seed=52))
    assert two is None


def test_what_stands_together_needs_nothing():
    _, found = told(A=SOURCE, B=0.5 * SOURCE, C=0.25 * SOURCE)
    assert found.says == "all of them are in time"
    assert found.now == found.sum_of
