"""The click in a microphone while a guitar plays: a leak of known size is found, and none where there is none."""

import numpy as np
import pytest

from fatsignal.core.level.bleed import measure_bleed_while_playing
from fatsignal.core.level.peak import rms_dbfs
from fatsignal.core.timing.click import render_click
from tests.core.takes.played import PARTS, TEMPO, played
from tests.signals import FS


@pytest.fixture(scope="module")
def take():
    """Two bars of count-in with room noise, then a guitar; and the click along all of it."""
    signal, _, start = played(PARTS["chords"], seed=7)
    bars = TEMPO.bar_frame(3) - TEMPO.bar_frame(1)
    recorded = np.concatenate((np.zeros(bars), signal))[: 12 * FS]
    recorded = recorded + 10 ** (-85 / 20) * np.random.default_rng(3).standard_normal(len(recorded))
    click = render_click(TEMPO, from_frame=start - bars, to_frame=start - bars + len(recorded)).channel(0)
    return recorded, click, rms_dbfs(signal)


@pytest.mark.parametrize("below_db", [30.0, 40.0, 46.0])
def test_a_planted_leak_is_found_with_its_size(take, below_db):
    recorded, click, playing_dbfs = take
    leak = np.convolve(np.concatenate((np.zeros(190), click))[: len(click)], [0.6, 0.3, -0.2])[: len(click)]
    starts = np.flatnonzero((np.abs(leak[1:]) > 0) & (leak[:-1] == 0)) + 1
    sounding = np.concatenate([leak[at : at + round(0.05 * FS)] for at in starts])
    leak *= 10 ** ((playing_dbfs - below_db - rms_dbfs(sounding)) / 20)
    report = measure_bleed_while_playing(recorded + leak, click, rate_hz=FS, playing_dbfs=playing_dbfs)
    assert report.found
    assert report.below_playing_db == pytest.approx(below_db, abs=2.0)
    assert report.delay_ms == pytest.approx(1000 * 190 / FS, abs=0.5)


def test_a_take_without_a_leak_raises_nothing(take):
    recorded, click, playing_dbfs = take
    report = measure_bleed_while_playing(recorded, click, rate_hz=FS, playing_dbfs=playing_dbfs)
    assert not report.found or report.below_playing_db > 50
