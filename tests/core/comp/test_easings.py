"""Strokes of a comp eased, brought back, and passages at another tempo: by takes that are struck at known frames."""

from dataclasses import replace
from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.comp.comp import Comp, with_pieces
from fatsignal.core.comp.document import document_of
from fatsignal.core.comp.easings import (
    at_other_tempo,
    ease_span,
    eased_in,
    sounding_strokes,
    uneased,
    where_they_sound,
)
from fatsignal.core.comp.pieces import Join, within
from fatsignal.core.easing.easing import EasedStroke
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting
from tests.core.comp.test_pieces import piece

RATE = 1000
STRUCK = {UUID(int=number): list(range(250, 6000, 500)) for number in (1, 2, 3)}
RECORDED = {take_id: Window(0, 6000) for take_id in STRUCK}
COMP = with_pieces(
    Comp(), [piece(1, 0, 2000), piece(2, 2000, 4000, join=Join(20)), piece(3, 4000, 6000, join=Join(20))]
)


def by(frames, cents=0.0):
    def change(sounding):
        return replace(sounding.stroke, by_frames=sounding.stroke.by_frames + frames, cents=cents)

    return change


def eased(comp, span, change, struck=STRUCK):
    return ease_span(comp, Window(*span), change, struck=struck, recorded=RECORDED, rate_hz=RATE)


def test_the_strokes_that_sound_in_a_span_are_eased_and_borders_stay():
    comp = eased(COMP, (2600, 3400), by(20))
    one, two, three = comp.pieces
    assert (one, three) == (COMP.pieces[0], COMP.pieces[2])
    assert (two.place, two.join) == (Window(2000, 4000), Join(20))
    assert two.easing.eased == (EasedStroke(2750, 20), EasedStroke(3250, 20))
    assert eased_in(comp.pieces, Window(0, 6000)) == [(2770, EasedStroke(2750, 20)), (3270, EasedStroke(3250, 20))]
    # At its borders it still is the take: whoever goes on there goes on.
    assert (two.begins, two.ends) == (COMP.pieces[1].begins, COMP.pieces[1].ends)
    assert two.source_id != two.take_id
    # Kept and read it is the same.
    assert document_of(comp).comp() == comp


def test_a_second_easing_goes_on_from_the_first_where_the_stroke_sounds_now():
    once = eased(COMP, (2600, 2900), by(60))
    # It sounds at 2810 now: there it is found, and nowhere else.
    with pytest.raises(InvalidSetting, match="no clear stroke sounds there by itself"):
        eased(once, (2740, 2760), by(5))
    twice = eased(once, (2800, 2820), by(-15))
    assert twice.pieces[1].easing.eased == (EasedStroke(2750, 45),)
    assert eased(once, (2800, 2820), by(-60)).pieces == COMP.pieces


def test_what_was_eased_goes_back():
    comp = eased(eased(COMP, (2600, 3400), by(20)), (5100, 5400), by(0, cents=9.0))
    back = uneased(comp, Window(2000, 4000), rate_hz=RATE)
    assert back.pieces[1] == COMP.pieces[1]
    assert back.pieces[2].easing.eased == (EasedStroke(5250, 0, 9.0),)
    assert uneased(back, Window(0, 6000), rate_hz=RATE) == COMP
    assert uneased(COMP, Window(0, 6000), rate_hz=RATE) is None


def test_a_join_that_an_attack_comes_into_is_found_anew():
    near = eased(COMP, (4200, 4300), by(-235))
    assert [each.join for each in near.pieces] == [None, Join(20), None]
    far = eased(COMP, (4200, 4300), by(-150))
    assert [each.join for each in far.pieces] == [None, Join(20), Join(20)]
    # Also one behind it.
    after = eased(COMP, (3700, 3800), by(245))
    assert [each.join for each in after.pieces] == [None, Join(20), None]


def test_a_join_that_was_found_beside_an_eased_stroke_stays_when_another_is_eased():
    near = eased(COMP, (4200, 4300), by(-235))
    joined = replace(near, pieces=(*near.pieces[:2], replace(near.pieces[2], join=Join(8))))
    assert eased(joined, (700, 800), by(10)).pieces[2].join == Join(8)


def test_nothing_to_change_is_said():
    with pytest.raises(InvalidSetting, match="lie so already"):
        eased(COMP, (2600, 3400), by(0))
    with pytest.raises(InvalidSetting, match="lie so already"):
        eased(COMP, (2600, 3400), lambda sounding: None)


def test_part_of_an_eased_piece_knows_its_own_strokes_only():
    comp = eased(COMP, (2600, 3400), by(20))
    (left,) = within(comp.pieces, Window(2500, 3000))
    assert [each.frame for each in sounding_strokes(left, STRUCK[UUID(int=2)], Window(0, 9000), rate_hz=RATE)] == [2770]
    # Cut within what is eased, it is that what it begins with, and not the take.
    (right,) = within(comp.pieces, Window(2900, 3500))
    assert right.begins == (comp.pieces[1].source_id, 2900, 0.0)


def test_where_the_strokes_of_a_take_sound():
    comp = eased(COMP, (2600, 3400), by(20))
    struck = STRUCK[UUID(int=2)]
    sounding = where_they_sound(UUID(int=2), 0, struck, comp.pieces, rate_hz=RATE)
    assert dict(zip(struck, sounding, strict=True)) == {at: at + 20 * (at in (2750, 3250)) for at in struck}
    # A copy that lies far off is no place of theirs.
    copied = with_pieces(Comp(), [replace(piece(2, 2000, 2400), place=Window(5000, 5400))])
    assert where_they_sound(UUID(int=2), 0, [2250], copied.pieces, rate_hz=RATE) == [2250]


def slower(at):
    """From 1000 on, everything takes a tenth longer, and begins at 7000."""
    return 7000 + round((at - 1000) * 1.1)


def test_at_another_tempo_every_stroke_lies_where_the_beat_has_it():
    (copy,) = at_other_tempo([piece(1, 1000, 3000)], slower, struck=STRUCK, rate_hz=RATE)
    assert (copy.place, copy.moved_frames, copy.join) == (Window(7000, 9200), 6000, None)
    begins = copy.place.from_frame - copy.take_frame
    for at in (1250, 1750, 2250, 2750):
        assert begins + copy.easing.sounds_at(at) == slower(at)
    assert copy.easing.later == 200
    # Beyond its end the take goes on as it was played, that much later; there and back.
    assert (copy.easing.sounds_at(3500), copy.easing.take_frame(3700)) == (3700, 3500)
    assert copy.ends == (UUID(int=1), 3000, 0.0)
    # At the same tempo it is the take.
    (same,) = at_other_tempo([piece(1, 1000, 3000)], lambda at: at + 6000, struck=STRUCK, rate_hz=RATE)
    assert (same.easing, same.take_frame, same.place) == (None, 1000, Window(7000, 9000))


def test_what_was_eased_is_brought_to_another_tempo_as_it_sounds():
    comp = eased(COMP, (1200, 1300), by(20, cents=5.0))
    (copy,) = at_other_tempo(within(comp.pieces, Window(1000, 2000)), slower, struck=STRUCK, rate_hz=RATE)
    begins = copy.place.from_frame - copy.take_frame
    stroke = next(each for each in copy.easing.strokes if each.take_frame == 1250)
    assert (begins + stroke.sounds_at, stroke.cents) == (slower(1270), 5.0)
    with pytest.raises(InvalidSetting, match="times as long"):
        at_other_tempo([piece(1, 1000, 3000)], lambda at: 5 * at, struck=STRUCK, rate_hz=RATE)


acts = st.lists(
    st.tuples(st.integers(0, 5400), st.integers(100, 1500), st.integers(-80, 80), st.sampled_from([0.0, 12.0])),
    max_size=6,
)


@settings(deadline=None, max_examples=150)
@given(acts)
def test_whatever_is_eased_nothing_outside_changes_and_all_goes_back(done):
    comp = COMP
    for start, length, frames, cents in done:
        before = comp
        try:
            comp = eased(comp, (start, start + length), by(frames, cents))
        except InvalidSetting:
            continue
        assert [each.place for each in comp.pieces] == [each.place for each in COMP.pieces]
        for one, other in zip(before.pieces, comp.pieces, strict=True):
            if one.place.to_frame <= start or one.place.from_frame >= start + length:
                assert replace(one, join=None) == replace(other, join=None)
    back = uneased(comp, Window(-200, 6200), rate_hz=RATE) or comp
    assert all(not each.easing for each in back.pieces)
