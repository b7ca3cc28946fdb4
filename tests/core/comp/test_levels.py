"""Which piece of a comp drops or jumps: worked by hand."""

import math

import pytest

from fatsignal.core.comp.levels import excess_db, in_words, offsets_db, step_db


def test_a_passage_that_grows_in_all_takes_is_meant_to():
    assert excess_db(step_db(-20, -16), [4.0, 3.5, 4.5]) == 0
    assert excess_db(step_db(-20, -14), [4.0, 3.5]) == pytest.approx(2.25)


@pytest.mark.parametrize(
    ("step", "of_takes"), [(None, [1.0, 1.0]), (2.0, [1.0]), (2.0, [None, None, 1.0])],
)  # fmt: skip
def test_where_nobody_says_how_it_goes_nothing_is_told(step, of_takes):
    assert excess_db(step, of_takes) is None


def test_a_rest_has_no_level():
    assert step_db(-math.inf, -20) is None
    assert step_db(-20, -61) is None


def test_the_piece_that_jumps_is_off_and_not_its_neighbours():
    assert offsets_db([8, 4, 8], [3.0, -3.0]) == pytest.approx([0, 3, 0])
    # The first of a row: only its one border tells.
    assert offsets_db([2, 8, 8], [4.0, 0.0]) == pytest.approx([-4, 0, 0])


def test_of_two_the_shorter_is_off():
    assert offsets_db([8, 2], [-3.0]) == pytest.approx([0, -3])
    # As long: each by half.
    assert offsets_db([4, 4], [-3.0]) == pytest.approx([1.5, -1.5])


def test_a_border_that_says_nothing_parts_the_row():
    assert offsets_db([4, 8, 8, 4], [2.0, None, 2.0]) == pytest.approx([-2, 0, 0, 2])
    assert offsets_db([4, 8], [None]) == [None, None]
    assert offsets_db([4], []) == [None]


def test_it_is_said_which_way():
    assert in_words(2.04).startswith("2.0 dB louder")
    assert in_words(-3.0).startswith("3.0 dB quieter")
