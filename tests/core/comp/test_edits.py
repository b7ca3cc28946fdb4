"""Edits of a comp: nothing outside them changes, no remnants are left, and what need not be settled is given back."""

from itertools import cycle
from uuid import UUID

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.edits import filled_by, give_back, make_hole, trimmed, unjoined, use_take, with_border
from fatsignal.core.comp.pieces import Join
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from tests.core.comp.test_pieces import piece, sound

# So few frames a second that a song is an array: a border may move by 12, an edit settles 25 around its section.
RATE = 100
VERSE, CHORUS = Window(50, 150), Window(150, 250)


def take(number, from_frame=0, to_frame=400, rating=None):
    return Played(UUID(int=number), (Window(from_frame, to_frame),), Window(from_frame, to_frame), rating)


TAKES = [take(number) for number in (4, 3, 2, 1)]


def used(comp, number, *span, within, takes=TAKES):
    chosen = next(each for each in takes if each.take_id.int == number)
    return use_take(comp, chosen, Window(*span), takes, within=within, rate_hz=RATE)


def joined(comp, *moves):
    """Every border where it is moved to, with a crossfade of four frames."""
    pieces = comp.pieces
    for number, by in zip(unjoined(pieces), moves, strict=True):
        pieces = with_border(pieces, number, pieces[number].place.from_frame + by, Join(4))
    return Comp(comp.settled, pieces, comp.seen)


def test_a_phrase_is_used_and_its_section_stays_as_it_sounded():
    comp = used(Comp(), 2, 100, 150, within=VERSE)
    assert [each.take_id.int for each in comp.pieces] == [4, 2, 4]
    assert [(piece_.by_hand) for piece_ in comp.pieces] == [False, True, False]
    heard = sound(performance(comp, TAKES))[:, 0]
    assert set(heard[100:150]) == {2}
    assert set(heard[:100]) == set(heard[150:]) == {4}


@pytest.mark.parametrize("moves", [(0, 0), (-9, 7), (8, -6), (-12, -12), (12, 12)])
def test_what_is_given_back_after_joining_sounds_as_before_wherever_the_borders_went(moves):
    takes = [take(5, 150), *TAKES]
    comp = joined(used(Comp(), 2, 100, 150, within=VERSE, takes=takes), *moves)
    before = sound(performance(comp, takes))
    after = trimmed(comp, Comp(), takes, within=VERSE, rate_hz=RATE)
    np.testing.assert_array_equal(sound(performance(after, takes)), before)
    # Of the neighbours nothing is kept but what a crossfade needs, or what was moved past the bar line.
    assert after.settled[0].from_frame >= VERSE.from_frame
    assert after.settled[-1].to_frame <= VERSE.to_frame + 12 + 2
    # A crossfade is whole: both of its sides are settled.
    border = comp.pieces[2].place.from_frame
    assert any(each.from_frame <= border - 2 and border + 2 <= each.to_frame for each in after.settled)


def test_used_again_beside_a_border_that_was_moved_no_remnant_is_left():
    comp = joined(used(Comp(), 1, 50, 100, within=VERSE), -3, 8)
    comp = used(comp, 2, 100, 150, within=VERSE)
    assert [each.take_id.int for each in comp.pieces][1:3] == [1, 2]
    comp = joined(used(Comp(), 1, 50, 100, within=VERSE), -3, -8)
    comp = used(comp, 2, 100, 150, within=VERSE)
    assert [(each.take_id.int, *each.place) for each in comp.pieces][1:3] == [(1, 47, 92), (2, 92, 150)]


def test_only_what_a_take_has_is_used():
    short = take(9, 110, 130)
    comp = use_take(Comp(), short, Window(100, 150), [short, *TAKES], within=VERSE, rate_hz=RATE)
    assert [(each.take_id.int, *each.place, each.take_frame) for each in comp.pieces if each.take_id.int == 9] == [
        (9, 110, 130, 0)
    ]
    with pytest.raises(InvalidSetting, match="not recorded there"):
        use_take(Comp(), short, Window(130, 150), TAKES, within=VERSE, rate_hz=RATE)


def test_crossfades_out_of_something_else_are_found_anew():
    comp = joined(used(Comp(), 2, 100, 150, within=VERSE), 0, 0)
    assert unjoined(comp.pieces) == []
    changed = used(comp, 3, 100, 120, within=VERSE)
    assert [changed.pieces[number].take_id.int for number in unjoined(changed.pieces)] == [3, 2]
    # The one that was not touched keeps its own.
    assert changed.pieces[-1].join == Join(4)


def test_a_hole_and_a_section_that_is_given_back():
    comp = make_hole(Comp(), Window(100, 120), TAKES, within=VERSE, rate_hz=RATE)
    assert set(sound(performance(comp, TAKES))[100:120, 0]) == {-1}
    assert give_back(comp, VERSE, rate_hz=RATE) == Comp()
    both = used(comp, 2, 160, 200, within=CHORUS)
    back = give_back(both, VERSE, rate_hz=RATE)
    np.testing.assert_array_equal(
        sound(performance(back, TAKES))[CHORUS.from_frame + 30 :],
        sound(performance(both, TAKES))[CHORUS.from_frame + 30 :],
    )
    assert set(sound(performance(back, TAKES))[VERSE.from_frame : VERSE.to_frame, 0]) == {4}


def test_what_was_rolled_for_a_hole_fills_it_and_what_passes_over_it_does_not():
    comp = make_hole(used(Comp(), 2, 110, 150, within=VERSE), Window(60, 110), TAKES, within=VERSE, rate_hz=RATE)
    every = {UUID(int=number) for number in (1, 2, 3, 4)}

    def filled(*window, without=0):
        found = filled_by(comp, [Window(*window)], playable=every - {UUID(int=without)}, rate_hz=RATE)
        return [tuple(each) for each in found]

    assert filled(60, 110) == [(60, 110)]
    # It was stopped before the hole's end; it is used as far as it goes.
    assert filled(60, 95) == [(60, 95)]
    for passes in ((50, 150), (50, 110), (90, 110), (60, 120)):
        assert filled(*passes) == []
    # What lies in the bin is to be played again.
    assert filled(110, 150) == []
    assert filled(60, 150, without=2) == [(60, 150)]


def test_a_moment_of_a_recording_that_goes_on_belongs_to_what_goes_on():
    moment = piece(2, 100, 104, join=Join(4), by_hand=False)
    told = piece(2, 104, 150, why="take 2: nothing found")
    after = piece(2, 150, 156)
    comp = Comp((VERSE,), (piece(1, 50, 100), moment, told, after))
    left = trimmed(comp, comp, [], within=VERSE, rate_hz=RATE).pieces
    assert [(tuple(each.place), each.why, each.join) for each in left] == [
        ((50, 100), "", None), ((100, 156), "take 2: nothing found", Join(4)),
    ]  # fmt: skip


def test_around_a_section_nothing_stays_settled_where_nothing_sounds():
    takes = [take(number, 50) for number in (2, 1)]
    comp = make_hole(Comp(), Window(50, 80), takes, within=VERSE, rate_hz=RATE)
    assert trimmed(comp, Comp(), takes, within=VERSE, rate_hz=RATE).settled == (VERSE,)


def test_a_border_goes_no_farther_than_its_pieces():
    pieces = (piece(1, 0, 50), piece(2, 50, 100))
    moved = with_border(pieces, 1, 40, Join(4))
    assert [(each.take_frame, *each.place) for each in moved] == [(0, 0, 40), (40, 40, 100)]
    for frame in (0, 100, -5):
        with pytest.raises(InvalidSetting, match="cannot go past"):
            with_border(pieces, 1, frame, Join(4))


@given(
    st.lists(
        st.tuples(
            st.integers(1, 4), st.integers(50, 240), st.integers(5, 60),
            st.lists(st.integers(-12, 12), min_size=12, max_size=12),
        ),
        max_size=6,
    )
)  # fmt: skip
@example(
    [
        (1, 50, 5, [0]), (1, 50, 5, [0]), (2, 179, 60, [0, 12]), (1, 50, 17, [0, 12, 0, 0, 0, 7]),
        (1, 179, 60, [0, 12, 0, 7, 12, 12, 12, 12]), (1, 91, 60, [0, 1]),
    ]
)  # fmt: skip
@settings(deadline=None)
def test_whatever_is_used_nothing_outside_changes_but_for_borders_that_may_move(acts):
    comp = Comp()
    for number, start, frames, moves in acts:
        span = Window(start, min(250, start + frames))
        within = Window(VERSE.from_frame if start < 150 else 150, 250 if span.to_frame > 150 else 150)
        before = sound(performance(comp, TAKES))
        edited = used(comp, number, *span, within=within)
        pieces = edited.pieces
        for which, by in zip(unjoined(pieces), cycle(moves), strict=False):
            border = pieces[which].place.from_frame
            if pieces[which - 1].place.from_frame + 2 < border + by < pieces[which].place.to_frame - 2:
                border += by
            pieces = with_border(pieces, which, border, Join(2))
        comp = trimmed(Comp(edited.settled, pieces), comp, TAKES, within=within, rate_hz=RATE)
        after = sound(performance(comp, TAKES))
        inside = np.zeros(len(after), bool)
        # A border goes to a near one first, and then as far as it may be moved.
        inside[max(0, span.from_frame - 26) : span.to_frame + 26] = True
        np.testing.assert_array_equal(after[~inside], before[~inside])
