"""Cue mixes, the limiter of the phones, and what is heard of a part with many takes."""

import math
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fatsignal.core.cue.mix import CLICK, CueMix, Strip, gains_of, live_gains, pan_gains
from fatsignal.core.level.limiter import Limiter
from fatsignal.core.takes.counting import Played, newest_wins
from fatsignal.core.takes.gates import closing, opening
from fatsignal.core.takes.windows import Window
from tests.signals import FS, sine


@given(st.floats(-1, 1))
def test_a_mono_sound_keeps_its_power_wherever_it_is_put(pan):
    """Sine law: cos² + sin² = 1."""
    left, right = pan_gains(pan)
    assert left**2 + right**2 == pytest.approx(1.0)
    assert (left > right) == (pan < 0) or abs(pan) < 1e-9


def test_the_middle_is_three_decibels_down_and_the_ends_are_silent_on_the_other_side():
    assert 20 * math.log10(pan_gains(0)[0]) == pytest.approx(-3.0103, abs=1e-4)
    assert pan_gains(-1) == pytest.approx((1, 0))
    assert pan_gains(1) == pytest.approx((0, 1))
    assert pan_gains(0, stereo=True) == (1, 1)
    assert pan_gains(0.25, stereo=True) == (0.75, 1)


def test_strips_click_and_level_go_into_the_gains():
    mix = CueMix(
        strips={"bass": Strip(gain_db=-6.0206), "gone": Strip(muted=True), "off": Strip(gain_db=-60)},
        click=Strip(gain_db=0, pan=-1), level_db=6.0206,
    )  # fmt: skip
    columns = [("bass", None), ("gone", None), ("off", None), (CLICK, None), ("loop", 0), ("loop", 1)]
    gains = gains_of(mix, columns)
    middle = math.sqrt(0.5)
    np.testing.assert_allclose(gains, [[middle, middle], [0, 0], [0, 0], [2, 0], [2, 0], [0, 2]], rtol=1e-5, atol=1e-12)


def test_more_me_is_on_top_of_the_parts_own_strip():
    mix = CueMix(strips={"me": Strip(gain_db=-3)}, me=Strip(gain_db=9))
    assert 20 * math.log10(live_gains(mix, [("me", None)])[0, 0]) == pytest.approx(6 - 3.0103, abs=1e-3)
    assert not live_gains(CueMix(me=Strip(muted=True)), [("me", None)]).any()


@pytest.mark.parametrize("ceiling_dbfs", [-12.0, -3.0])
def test_nothing_is_louder_than_the_ceiling_and_what_is_softer_passes_unchanged(ceiling_dbfs):
    soft = np.column_stack([0.1 * sine(440), 0.05 * sine(330)])
    loud = np.column_stack([2.5 * sine(110), 0.5 * sine(330)])
    limiter = Limiter(ceiling_dbfs, rate_hz=FS)
    np.testing.assert_array_equal(limiter.process(soft), soft)
    limited = limiter.process(loud)
    assert np.abs(limited).max() <= 10 ** (ceiling_dbfs / 20) * (1 + 1e-12)
    assert np.abs(limited).max() > 10 ** (ceiling_dbfs / 20) * 0.999
    # One gain for both ears: their ratio stays.
    audible = np.abs(loud[:, 0]) > 0.01
    np.testing.assert_allclose(
        limited[audible, 1] / limited[audible, 0], loud[audible, 1] / loud[audible, 0], rtol=1e-9
    )


def test_blocks_of_any_size_are_limited_to_the_same_samples():
    loud = np.random.default_rng(3).standard_normal((FS, 2))
    whole = Limiter(-6, rate_hz=FS).process(loud)
    limiter = Limiter(-6, rate_hz=FS)
    pieces = [limiter.process(loud[at : at + 77]) for at in range(0, FS, 77)]
    np.testing.assert_array_equal(np.concatenate(pieces), whole)


WINDOW = st.tuples(st.integers(0, 40), st.integers(1, 15)).map(lambda at: Window(at[0], at[0] + at[1]))
TAKES = st.lists(st.lists(WINDOW, max_size=3), max_size=5)


@given(TAKES)
def test_at_every_place_the_newest_take_is_heard_and_only_that(windows):
    takes = [Played(uuid4(), tuple(each)) for each in windows]
    pieces = newest_wins(takes)
    for frame in range(60):
        playing = [piece.take_id for piece in pieces if piece.span.from_frame <= frame < piece.span.to_frame]
        wanted = [take.take_id for take in takes if any(w.from_frame <= frame < w.to_frame for w in take.windows)]
        assert playing == wanted[:1]


def test_both_sides_of_a_window_keep_the_power_and_meet_at_its_edge():
    windows, span = [Window(2000, 5000)], Window(0, 8000)
    inside, outside = opening(windows, span, rate_hz=FS), closing(windows, span, rate_hz=FS)
    np.testing.assert_allclose(inside**2 + outside**2, 1, atol=1e-12)
    assert inside[2000] == pytest.approx(math.sqrt(0.5))
    assert (inside[1700], inside[2300], outside[2300]) == (0, 1, 0)
    assert np.flatnonzero(inside)[0] == 2000 - 239
    parts = [opening(windows, Window(at, at + 100), rate_hz=FS) for at in range(0, 8000, 100)]
    np.testing.assert_array_equal(np.concatenate(parts), inside)


def test_windows_that_touch_have_no_dip_between_them():
    inside = opening([Window(1000, 2000), Window(2000, 3000)], Window(1900, 2100), rate_hz=FS)
    assert inside.min() > 0.7
    assert opening([Window(1000, 3000)], Window(1900, 2100), rate_hz=FS).min() == 1
