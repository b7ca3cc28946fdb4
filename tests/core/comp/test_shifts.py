"""What sounds in a range moved, copied and turned up: by frames that name their take, and by random acts."""

from itertools import pairwise
from uuid import UUID

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.pieces import Join
from fatsignal.core.comp.shifts import lift, louder_span, move_span, picked
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from tests.core.comp.test_pieces import SONG, piece, sound

# A border moves by 12 frames at most (0.12 s): more is a move with its borders.
RATE = 100
WHOLE = Window(0, SONG)
RECORDED = {UUID(int=number): WHOLE for number in range(1, 9)}
COMP = with_pieces(Comp(), [piece(1, 0, 100), piece(2, 100, 200), piece(3, 200, 300)])


def moved(comp, span, by, *, recorded=RECORDED):
    return move_span(comp, Window(*span), by, recorded=recorded, song=WHOLE, rate_hz=RATE)


def test_a_little_later_it_moves_beneath_its_borders():
    after = sound(moved(COMP, (100, 200), 7).pieces)
    assert set(after[100:200, 0]) == {2}
    np.testing.assert_array_equal(after[100:200, 1], np.arange(93, 193))
    np.testing.assert_array_equal(after[200:], sound(COMP.pieces)[200:])


def test_where_the_take_was_not_recorded_a_short_silence_is_left():
    later = moved(COMP, (100, 200), 7, recorded={UUID(int=2): Window(100, 200)})
    assert set(sound(later.pieces)[100:107, 0]) == {-1}
    earlier = moved(COMP, (100, 200), -7, recorded={UUID(int=2): Window(100, 200)})
    assert set(sound(earlier.pieces)[193:200, 0]) == {-1}


def test_by_more_it_goes_with_its_borders_and_leaves_a_hole():
    after = sound(moved(COMP, (100, 200), 40).pieces)
    assert set(after[100:140, 0]) == {-1}
    np.testing.assert_array_equal(after[140:240, 1], np.arange(100, 200))
    np.testing.assert_array_equal(after[240:300, 1], np.arange(240, 300))


def test_a_part_of_a_piece_moves_alone_and_says_by_how_much():
    comp = moved(COMP, (140, 160), 5)
    assert [each.moved_frames for each in comp.pieces] == [0, 0, 5, 0, 0]
    after = sound(comp.pieces)
    np.testing.assert_array_equal(after[140:160, 1], np.arange(135, 155))
    np.testing.assert_array_equal(np.delete(after, np.s_[140:160], 0), np.delete(sound(COMP.pieces), np.s_[140:160], 0))


@pytest.mark.parametrize("by", [3, -12, 12])
def test_moved_there_and_back_is_what_it_was(by):
    back = moved(moved(COMP, (100, 200), by), (100, 200), -by)
    np.testing.assert_array_equal(sound(back.pieces), sound(COMP.pieces))
    assert [each.moved_frames for each in back.pieces] == [0, 0, 0]


def test_a_border_that_was_moved_a_little_is_the_one_that_is_meant():
    shifted = with_pieces(Comp(), [piece(1, 0, 108), piece(2, 108, 200), piece(3, 200, 300)])
    (chosen,) = picked(shifted.pieces, Window(100, 200), rate_hz=RATE)
    assert chosen.place == Window(108, 200)
    # A range as short as a stroke is meant as it is.
    assert [each.place for each in picked(shifted.pieces, Window(100, 112), rate_hz=RATE)] == [
        Window(100, 108), Window(108, 112),
    ]  # fmt: skip


def test_crossfades_that_fit_no_more_are_found_anew_and_others_stay():
    joined = with_pieces(Comp(), [piece(1, 0, 100), piece(2, 100, 200, join=Join(4)), piece(3, 200, 300, join=Join(6))])
    assert [each.join for each in moved(joined, (100, 200), 7).pieces] == [None, None, None]
    assert [each.join for each in moved(joined, (220, 260), 7).pieces][:3] == [None, Join(4), Join(6)]


@pytest.mark.parametrize(
    ("span", "by", "says"), [((0, 100), -50, "before the zero"), ((200, 300), 150, "past the last")]
)
def test_nothing_goes_beyond_the_song(span, by, says):
    with pytest.raises(InvalidSetting, match=says):
        moved(COMP, span, by)


def test_where_nothing_sounds_nothing_is_moved():
    with pytest.raises(InvalidSetting, match="nothing sounds there"):
        moved(COMP, (320, 380), 5)


def test_a_lick_is_put_together_from_pairs_of_notes():
    """The later pair covers what the earlier one rings on; asked to, it lies beneath it."""
    pairs = [piece(4, 10, 30, at=10), piece(5, 50, 70, at=50)]
    comp = lift(with_pieces(Comp(), []), [pairs[0]], 100, song=WHOLE)
    over = sound(lift(comp, [pairs[1]], 115, song=WHOLE).pieces)
    assert list(over[[100, 114, 115, 134], 0]) == [4, 4, 5, 5]
    np.testing.assert_array_equal(over[115:135, 1], np.arange(50, 70))
    under = sound(lift(comp, [pairs[1]], 115, song=WHOLE, under=True).pieces)
    assert list(under[[114, 119, 120, 134], 0]) == [4, 4, 5, 5]
    np.testing.assert_array_equal(under[120:135, 1], np.arange(55, 70))


def test_what_is_lifted_stays_where_it_was_and_is_marked():
    comp = lift(COMP, picked(COMP.pieces, Window(0, 100), rate_hz=RATE), 300, song=WHOLE)
    assert [(each.take_id.int, each.place, each.moved_frames) for each in comp.pieces] == [
        (1, Window(0, 100), 0), (2, Window(100, 200), 0), (3, Window(200, 300), 0), (1, Window(300, 400), 300),
    ]  # fmt: skip
    with pytest.raises(InvalidSetting, match="past the last"):
        lift(COMP, picked(COMP.pieces, Window(0, 100), rate_hz=RATE), 320, song=WHOLE)


def test_what_is_turned_up_and_back_is_one_piece_again():
    louder = louder_span(COMP, Window(130, 160), 2.1, rate_hz=RATE)
    assert [each.gain_db for each in louder.pieces] == [0, 0, 2.1, 0, 0]
    assert louder_span(louder, Window(130, 160), -2.1, rate_hz=RATE).pieces == COMP.pieces
    with pytest.raises(InvalidSetting, match="at most 24 dB"):
        louder_span(louder, Window(130, 160), 23, rate_hz=RATE)


spans = st.tuples(st.integers(0, SONG - 20), st.integers(20, 90)).map(lambda s: (s[0], min(SONG, s[0] + s[1])))


@given(st.lists(st.tuples(spans, st.integers(-60, 60)), max_size=12))
@settings(deadline=None)
def test_whatever_is_moved_nothing_overlaps_and_every_frame_is_one_that_was_recorded(moves):
    comp = with_pieces(Comp(), [piece(1, 0, 130), piece(2, 130, 270), piece(3, 270, 400)])
    for span, by in moves:
        try:
            comp = moved(comp, span, by)
        except InvalidSetting:
            continue
        assert all(one.place.to_frame <= other.place.from_frame for one, other in pairwise(comp.pieces))
        for each in comp.pieces:
            assert 0 <= each.place.from_frame < each.place.to_frame <= SONG
            assert 0 <= each.take_frame < each.of_take.to_frame <= SONG
            # All that was recorded lies on the song's frames: how far it was moved says where it sounds.
            assert each.place.from_frame - each.take_frame == each.moved_frames
