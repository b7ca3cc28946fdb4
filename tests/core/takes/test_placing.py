"""Where strokes lie by the click and by the other takes: a take that lies later as a whole says so."""

from dataclasses import replace

import pytest

from fatsignal.core.takes.placed_stroke import PlacedStroke, lag_frames
from fatsignal.core.takes.placing import placed_strokes
from tests.core.takes.played import FS, PARTS, TEMPO, heard

LATE = 720
LEAD = PARTS["lead"]


@pytest.fixture(scope="module")
def placed():
    """Three takes; and the first of them 15 ms later with the other two."""
    takes = [heard(LEAD, seed=seed) for seed in (1, 2, 3)]
    late = [replace(takes[0], from_frame=takes[0].from_frame + LATE), *takes[1:]]
    return placed_strokes(takes, LEAD.span, TEMPO), placed_strokes(late, LEAD.span, TEMPO)


def test_a_take_that_lies_later_is_later_than_the_others_by_that(placed):
    as_played, late = (lag_frames(found[0], by="others") for found in placed)
    assert abs(as_played) < 0.004 * FS
    assert late - as_played == pytest.approx(LATE, abs=0.001 * FS)


def test_it_is_later_by_the_click_by_as_much(placed):
    as_played, late = (lag_frames(found[0], by="click") for found in placed)
    assert abs(as_played) < 0.008 * FS
    assert late - as_played == pytest.approx(LATE, abs=0.001 * FS)


def test_strokes_come_in_order_and_within_the_span(placed):
    for strokes in placed[0]:
        frames = [stroke.frame for stroke in strokes]
        assert frames == sorted(frames)
        assert len(frames) > 10
        assert LEAD.span.from_frame <= frames[0] < frames[-1] < LEAD.span.to_frame


def test_two_takes_alone_do_not_say_how_it_is_played():
    takes = [heard(LEAD, seed=seed) for seed in (1, 2)]
    assert lag_frames(placed_strokes(takes, LEAD.span, TEMPO)[0], by="others") is None


def test_a_stroke_far_from_any_place_says_nothing():
    assert lag_frames([PlacedStroke(100, None, 5), PlacedStroke(200, None, 9)], by="click") is None
    assert (
        lag_frames([PlacedStroke(100, 3, None), PlacedStroke(200, 5, None), PlacedStroke(9, 90, None)], by="click") == 5
    )
