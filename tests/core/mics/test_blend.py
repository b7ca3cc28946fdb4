import numpy as np
import pytest
from pydantic import ValidationError

from fatsignal.core.mics.blend import MicBlend, MicStrip, Played, played
from fatsignal.core.stereo.report import from_mid_side, mid_side


def gains(blend, *mics, alone=None):
    return [(each.left, each.right) for each in played(blend, list(mics), alone=alone)]


def test_microphones_add_up_as_they_were_recorded():
    assert gains(MicBlend(), "A", "B", "C") == [(1, 1)] * 3


def test_a_strip_is_delayed_turned_over_and_softer():
    blend = MicBlend(strips=(MicStrip(name="B", delay_ms=0.1, flipped=True, gain_db=-6.0),))
    first, second = played(blend, ["A", "B"])
    assert first == Played("A", 1.0, 1.0)
    assert (second.left, second.right) == pytest.approx((-(10**-0.3),) * 2)
    assert second.delay_ms == 0.1
    assert gains(MicBlend(strips=(MicStrip(name="B", on=False),)), "A", "B") == [(1, 1)]


def test_one_alone_is_heard_as_it_was_recorded_whatever_its_strip_says():
    blend = MicBlend(strips=(MicStrip(name="B", delay_ms=5, flipped=True),), image="left and right")
    assert played(blend, ["A", "B"], alone="B") == [Played("B", 1.0, 1.0)]


def test_a_pair_is_left_and_right_and_others_are_in_the_middle():
    assert gains(MicBlend(image="left and right"), "A", "B", "C") == [(1, 0), (0, 1), (1, 1)]


@pytest.mark.parametrize("width", [0.0, 0.5, 1.0, 2.0])
def test_mid_and_side_are_decoded_as_by_the_formula(width):
    """L = M + w·S, R = M − w·S; at a width of 1 what was encoded comes back."""
    left, right = np.random.default_rng(1).standard_normal((2, 100))
    middle, side = mid_side(left, right)
    heard = gains(MicBlend(image="mid and side", width=width), "mid", "side")
    got = [sum(gain[ear] * each for gain, each in zip(heard, (middle, side), strict=True)) for ear in (0, 1)]
    np.testing.assert_allclose(got, from_mid_side(middle, side, width=width))
    if width == 1.0:
        np.testing.assert_allclose(got, [left, right])


@pytest.mark.parametrize("values", [{"delay_ms": -1}, {"delay_ms": float("nan")}, {"gain_db": 99}])
def test_what_no_strip_can_be_is_refused(values):
    with pytest.raises(ValidationError):
        MicStrip(name="A", **values)
