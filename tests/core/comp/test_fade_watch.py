"""What may be heard of a crossfade: by takes that meet too fast, and that cancel each other."""

import numpy as np
import pytest

from bench.joins import GUITARS, guitar_cuts
from fatsignal.core.comp.fade_watch import AROUND_S, FadeWatch
from fatsignal.core.comp.joins import find_joins
from fatsignal.core.material.channels import Channel
from tests.signals import FS, plucks

MIDDLE = FS // 2
DI = Channel("di", "DI")


def heard(frames, alike=0.0):
    """Of twelve pairs of takes, how many are heard to go over into each other between two strokes."""
    watches = [FadeWatch(plucks(1.0, seed=seed), plucks(1.0, seed=seed + 20), rate_hz=FS) for seed in range(12)]
    return sum(watch.hears(MIDDLE, frames, alike) for watch in watches)


def test_a_step_clicks_and_a_fade_over_some_milliseconds_does_not():
    assert heard(2) >= 9
    assert heard(40 * FS // 1000) <= 1


def test_sides_that_cancel_each_other_dip():
    before = plucks(1.0)
    fade = 40 * FS // 1000
    turned = FadeWatch(before, -before, rate_hz=FS)
    assert turned.hears(MIDDLE, fade, 0.0)
    # The same sound goes over into itself as if nothing were there.
    same = FadeWatch(before, before, rate_hz=FS)
    assert not same.hears(MIDDLE, fade, 1.0)
    # So is an attack that both takes have there by themselves.
    assert not same.hears(FS // 3 + 20, fade, 1.0)


def test_silence_and_what_lies_outside_are_not_heard():
    assert not FadeWatch(np.zeros(FS), np.zeros(FS), rate_hz=FS).hears(MIDDLE, 480, 0.0)
    assert not FadeWatch(plucks(1.0), plucks(1.0), rate_hz=FS).hears(3 * FS, 480, 0.0)


@pytest.mark.skipif(not GUITARS, reason="Debian's sonic-pi-samples are not installed here")
def test_of_good_places_in_real_guitars_one_is_taken_that_is_not_heard():
    others = 0
    for (before, after, wanted), rate_hz in guitar_cuts(50, np.random.default_rng(1)):
        points = find_joins({DI: before}, {DI: after}, wanted=wanted, first=0, last=len(before), rate_hz=rate_hz)
        start = max(0, wanted - round(AROUND_S * rate_hz))
        span = slice(start, wanted + round(AROUND_S * rate_hz))
        watch = FadeWatch(before[span], after[span], rate_hz=rate_hz)
        heard = [watch.hears(each.frame - start, each.join.frames, dict(each.join.alike)[DI]) for each in points]
        assert not heard[0] or (all(heard) and points[0].join.look)
        others += any(heard[1:])
    # Others of them are: it is chosen, not given.
    assert others > 5
