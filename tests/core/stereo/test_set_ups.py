"""Stereo set-ups, against published recording angles and what follows from their geometry."""

import numpy as np
import pytest

from fatsignal.core.mics.place import MicPlace
from fatsignal.core.stereo.set_ups import SET_UPS, pair_heard, recording_angle_deg, three_to_one
from fatsignal.core.units import speed_of_sound_m_s


@pytest.mark.parametrize(
    ("name", "half_deg"), [("ORTF", 48), ("NOS", 40), ("DIN", 50), ("XY 90°", 90), ("Blumlein pair", 36)]
)
def test_published_recording_angles(name, half_deg):
    """Williams 1987 and tables after it, to some degrees; from memory."""
    assert recording_angle_deg(SET_UPS[name]) == pytest.approx(half_deg, abs=4)


def test_level_and_time_of_ortf_at_its_own_side():
    """Cardioids at ±55°: (1 + cos(θ∓55°))/2; 17 cm·sinθ/c (formulas), here at 30° to the right."""
    heard = pair_heard(SET_UPS["ORTF"], np.array([30.0, -30.0]))
    level_db = 20 * np.log10((1 + np.cos(np.radians(-25))) / (1 + np.cos(np.radians(85))))
    assert heard.level_difference_db == pytest.approx([level_db, -level_db])
    late_ms = 1000 * 0.17 * 0.5 / speed_of_sound_m_s()
    assert heard.time_difference_ms == pytest.approx([-late_ms, late_ms])
    assert heard.side[0] > 0.5
    assert heard.side[1] == pytest.approx(-heard.side[0])


def test_mid_side_is_a_pair_of_crossed_capsules():
    """A cardioid's mid and a figure-8's side decode to two hypercardioids (formula): the same levels all round."""
    angles = np.linspace(-80, 80, 33)
    heard = pair_heard(SET_UPS["mid-side"], angles)
    middle, side = 0.5 + 0.5 * np.cos(np.radians(angles)), -np.sin(np.radians(angles))
    expected = 20 * np.log10(np.abs(middle - side) / np.maximum(np.abs(middle + side), 1e-6))
    np.testing.assert_allclose(heard.level_difference_db, expected, atol=1e-9)
    # L + R is twice the mid: mono loses no more than the side had.
    lost = 10 * np.log10((middle**2 + side**2) / middle**2)
    np.testing.assert_allclose(heard.mono_loss_db, lost, atol=1e-9)


@pytest.mark.parametrize("name", SET_UPS)
def test_every_one_is_even_and_puts_the_middle_in_the_middle(name):
    heard = pair_heard(SET_UPS[name], np.array([-37.0, -10.0, 0.0, 10.0, 37.0]))
    np.testing.assert_allclose(heard.side, -heard.side[::-1], atol=1e-12)
    assert heard.side[2] == pytest.approx(0, abs=1e-12)
    assert heard.side[3] > 0
    assert 20 < recording_angle_deg(SET_UPS[name]) <= 90


@pytest.mark.parametrize("name", SET_UPS)
def test_it_is_put_up_to_its_dimensions(name):
    set_up = SET_UPS[name]
    left, right = set_up.places(distance_m=0.5, off_centre_m=0.1, height_m=0.2)
    assert left.distance_to_m(right) == pytest.approx(set_up.apart_m)
    between = np.degrees(np.arccos(np.clip(left.looks @ right.looks, -1, 1)))
    assert between == pytest.approx(set_up.angle_deg, abs=1e-4)
    if not set_up.mid_side:
        middle = (left.position_m + right.position_m) / 2
        np.testing.assert_allclose(middle, MicPlace(0.5, 0.1, 0.2).position_m)


def test_what_looks_right_of_the_speaker_hears_the_left_less():
    """Seen from the microphones: the right one of a pair looks to the right."""
    left, right = SET_UPS["XY 90°"].places(distance_m=1.0)
    assert left.looks[0] < 0 < right.looks[0]


def test_three_to_one():
    """Common practice, no source; 20·log10(3) is 9.54 dB (formula)."""
    assert three_to_one([0.1, 0.2], 0.6) == pytest.approx(3.0)
    assert three_to_one([], 1.0) is None
