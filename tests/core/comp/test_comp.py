"""What a part sounds like: by the takes where nobody touched it, by the comp where somebody did."""

from itertools import pairwise
from uuid import UUID

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.comp import Comp, following, performance, rearranged, settled, with_pieces
from fatsignal.core.comp.pieces import cleared, laid, within
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window
from tests.core.comp.test_pieces import SONG, piece, sound, spans


def take(number, from_frame, to_frame, rating=None, begins=0):
    return Played(UUID(int=number), (Window(from_frame, to_frame),), Window(begins, SONG), rating)


takes_of_a_part = st.lists(
    st.tuples(spans, st.sampled_from([None, None, "starred", "struck"])), min_size=1, max_size=5
).map(
    lambda drawn: [
        take(number, *span, rating, begins=-number)
        for number, (span, rating) in reversed(list(enumerate(drawn, start=1)))
    ]
)


def test_untouched_it_follows_the_takes_from_the_right_place_of_their_files():
    sounding = performance(Comp(), [take(2, 100, 200, begins=40), take(1, 0, 300, begins=-10)])
    assert [(each.take_id.int, *each.place, each.take_frame, each.by_hand) for each in sounding] == [
        (1, 0, 100, 10, False), (2, 100, 200, 60, False), (1, 200, 300, 210, False),
    ]  # fmt: skip


@given(takes_of_a_part, spans, spans)
@settings(deadline=None)
def test_what_is_settled_stays_whatever_comes_and_the_rest_follows(takes, span, later):
    comp = settled(Comp(), span, takes)
    before = sound(performance(Comp(), takes))
    np.testing.assert_array_equal(sound(performance(comp, takes)), before)
    more = [take(9, *later, "starred", begins=-50), *takes]
    after, free = sound(performance(comp, more)), sound(performance(Comp(), more))
    inside = np.zeros(SONG, bool)
    inside[span.from_frame : span.to_frame] = True
    np.testing.assert_array_equal(after[inside], before[inside])
    np.testing.assert_array_equal(after[~inside], free[~inside])
    # Given back to the takes, it is as if nobody had touched it.
    assert following(comp, span) == Comp()
    np.testing.assert_array_equal(sound(performance(following(comp, span), more)), free)


def test_a_hole_that_a_person_made_stays_one():
    comp = settled(Comp(), Window(100, 200), [take(1, 0, 300)])
    comp = Comp(comp.settled, cleared(comp.pieces, Window(120, 140)))
    heard = sound(performance(comp, [take(2, 0, 400, "starred"), take(1, 0, 300)]))
    assert np.all(heard[120:140] == -1)
    assert set(heard[100:120, 0]) == set(heard[140:200, 0]) == {1}
    assert set(heard[200:, 0]) == set(heard[:100, 0]) == {2}


def test_settled_twice_is_settled_once():
    takes = [take(1, 0, 300)]
    comp = settled(Comp(), Window(100, 200), takes)
    chosen = with_pieces(comp, laid(comp.pieces, piece(5, 120, 140)))
    assert settled(chosen, Window(110, 150), takes) is chosen
    assert settled(chosen, Window(50, 200), [take(2, 0, 300, "starred")]).settled == (Window(50, 200),)
    # What was chosen is kept, only what lies around it is newly settled.
    assert set(sound(settled(chosen, Window(50, 200), [take(2, 0, 300)]).pieces)[120:140, 0]) == {5}


def test_a_place_that_a_piece_reaches_into_is_settled_too():
    comp = with_pieces(Comp((Window(0, 100),)), [piece(1, 90, 130)])
    assert comp.settled == (Window(0, 130),)
    assert comp.take_ids == (UUID(int=1),)


def test_sections_that_change_places_take_their_pieces_along():
    comp = with_pieces(Comp((Window(0, 100), Window(150, 200))), [piece(1, 0, 90), piece(2, 160, 200, at=3)])
    first, second = Window(0, 100), Window(100, 200)
    swapped = rearranged(comp, [(first, 100), (second, -100)])
    assert swapped.settled == (Window(50, 200),)
    assert [(each.take_id.int, *each.place, each.take_frame, each.moved_frames) for each in swapped.pieces] == [
        (2, 60, 100, 3, 0), (1, 100, 190, 0, 0),
    ]  # fmt: skip
    assert rearranged(swapped, [(first, 100), (second, -100)]) == comp
    # What lay where a span comes to gives way, and what is gone is settled no more.
    assert rearranged(comp, [(second, -100)], gone=[first]).settled == (Window(50, 100),)
    assert rearranged(comp, [(Window(0, 50), 120)]).settled == (Window(50, 100), Window(120, 200))


@given(takes_of_a_part, st.lists(spans, max_size=4), st.lists(spans, max_size=4))
@settings(deadline=None)
def test_performances_never_overlap(takes, places, chosen):
    comp = Comp()
    for span in places:
        comp = settled(comp, span, takes)
    for number, span in enumerate(chosen, start=20):
        comp = with_pieces(comp, laid(comp.pieces, piece(number, *span)))
    sounding = performance(comp, takes)
    assert all(one.place.to_frame <= other.place.from_frame for one, other in pairwise(sounding))
    for span in comp.settled:
        np.testing.assert_array_equal(sound(within(sounding, span)), sound(within(comp.pieces, span)))
