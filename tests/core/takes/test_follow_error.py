"""An overdub that follows a late take is noticed; one that follows the click, or is late by itself, is not."""

import numpy as np

from fatsignal.core.takes.click_timing import against_click
from fatsignal.core.takes.follow_error import follows
from fatsignal.core.timing.tempo import TempoMap

TEMPO = TempoMap.steady(100, rate_hz=48_000)
PLACES = np.array([TEMPO.quarter_frame(quarter) for quarter in range(32)])


def hand(mean_ms, *, scatter_ms=4.0, seed=1, places=PLACES):
    off = np.random.default_rng(seed).normal(mean_ms, scatter_ms, len(places)) * 48
    return against_click(places + off.astype(int), TEMPO).strokes


def test_an_overdub_on_a_late_take_is_a_cascade():
    found = follows(hand(31, seed=2), hand(28, seed=3))
    assert found is not None
    assert abs(found.heard_late_ms - 28) < 3
    assert abs(found.own_late_ms - 31) < 3
    assert found.places == 32


def test_an_overdub_on_the_click_is_none_even_beside_a_late_take():
    assert follows(hand(2, seed=2), hand(28, seed=3)) is None


def test_being_late_beside_a_take_on_the_click_is_a_habit_and_no_cascade():
    assert follows(hand(25, seed=2), hand(1, seed=3)) is None


def test_a_late_overdub_far_from_what_it_heard_follows_something_else():
    assert follows(hand(20, seed=2), hand(50, seed=3)) is None


def test_too_few_common_places_say_nothing():
    assert follows(hand(30, places=PLACES[:6]), hand(28)) is None
    assert follows([], hand(28)) is None
