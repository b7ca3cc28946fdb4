import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fatsignal.core.mics.place import MicPlace, parse_length_m, turned_from_angle
from fatsignal.errors import InvalidSetting


@pytest.mark.parametrize(
    ("typed", "metres"),
    [
        ("1 in", 0.0254), ("1in.", 0.0254), ('1/2"', 0.0127), ("1 1/2 in", 0.0381), ("3 cm", 0.03), ("2 ft", 0.6096),
        ("1' 6\"", 0.4572), ("12", 0.12), ("0,5 m", 0.5), (".5in", 0.0127), ("35mm", 0.035), ("−4.8", -0.048),
        ("+2 cm", 0.02),
    ],
)  # fmt: skip
def test_lengths_as_they_are_typed(typed, metres):
    """An inch is 25.4 mm exactly (international yard and pound agreement, 1959)."""
    assert parse_length_m(typed) == pytest.approx(metres, abs=1e-12)


@pytest.mark.parametrize(
    "typed", ["", "abc", "3 miles", "1/0 in", "1 2 3", "2 ft 3", "--3", "nan", "inf cm", "3 cm away"]
)
def test_what_is_no_length_is_said(typed):
    with pytest.raises(InvalidSetting, match="is no length: type one like 3 cm, 1 in"):
        parse_length_m(typed)


lengths = st.floats(-1.0, 1.0)


@given(st.floats(0.01, 3.0), lengths, lengths, lengths, lengths)
def test_whatever_is_aimed_at_a_point_looks_along_the_line_to_it(distance, x, y, at_x, at_y):
    place = MicPlace(distance, x, y).aimed_at(at_x, at_y)
    towards = np.array([at_x, at_y, 0.0]) - place.position_m
    np.testing.assert_allclose(place.looks, towards / np.linalg.norm(towards), atol=1e-9)


def test_straight_right_and_up():
    np.testing.assert_allclose(MicPlace(0.1).looks, [0, 0, -1], atol=1e-12)
    np.testing.assert_allclose(MicPlace(0.1, turned_deg=90).looks, [1, 0, 0], atol=1e-12)
    np.testing.assert_allclose(MicPlace(0.1, tilted_deg=90).looks, [0, 1, 0], atol=1e-12)
    np.testing.assert_allclose(MicPlace(0.1, turned_deg=180).looks, [0, 0, 1], atol=1e-12)


def test_distance_between_two():
    assert MicPlace(0.03, 0.04).distance_to_m(MicPlace(0.03, -0.01, 0.12)) == pytest.approx(0.13)


def test_in_words():
    assert str(MicPlace(0.05)) == "5.0 cm away"
    said = str(MicPlace(0.081, 0.048, -0.02, -12, 5))
    assert said == "8.1 cm away, 4.8 cm right, 2.0 cm down, looks 12° left and 5° up"


@pytest.mark.parametrize(
    ("angle", "off", "turned"), [(12.0, 0.048, -12.0), (12.0, -0.048, 12.0), (30.0, 0.0, -30.0), (0.0, 0.1, 0.0)]
)
def test_the_one_angle_of_before_turned_towards_the_centre(angle, off, turned):
    brought_up = turned_from_angle({"kind": "coil", "off_centre_m": off, "angle_deg": angle})
    assert brought_up == {"kind": "coil", "off_centre_m": off, "turned_deg": turned}
