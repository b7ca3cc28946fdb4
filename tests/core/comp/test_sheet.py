from uuid import uuid4

from fatsignal.core.comp.comp import Comp, performance
from fatsignal.core.comp.pieces import CompPiece
from fatsignal.core.comp.sheet import sheet_line
from fatsignal.core.takes.counting import Played
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

TEMPO = TempoMap.steady(104, rate_hz=48_000)


def line(*takes, first_bar=5, bars=8, phrase_bars=3):
    return sheet_line(
        TEMPO, first_bar=first_bar, bars=bars, phrase_bars=phrase_bars, takes=takes,
        sounding=performance(Comp(), takes),
    )  # fmt: skip


def played(*spans):
    return Played(uuid4(), tuple(Window(*span) for span in spans))


def test_bars_without_a_take_are_missing():
    assert line().missing_bars == 8
    assert line().take_ids == []


def test_a_bar_belongs_to_the_newest_take_that_played_all_of_it():
    old = played((TEMPO.bar_frame(5), TEMPO.bar_frame(13)))
    new = played((TEMPO.bar_frame(7), TEMPO.bar_frame(9) + 30_000))
    sheet = line(new, old)
    assert [bar.take_id == new.take_id for bar in sheet.bars] == [False, False, True, True, False, False, False, False]
    assert sheet.missing_bars == 0
    assert sheet.take_ids == [new.take_id, old.take_id]


def test_a_pass_stopped_within_a_bar_leaves_that_bar_missing():
    stopped = played((TEMPO.bar_frame(5), TEMPO.bar_frame(9) - 30_000))
    assert line(stopped).missing_bars == 5


def test_a_take_of_which_nothing_is_used_yet_is_listed_where_it_was_recorded_and_plays_no_bar():
    unused = Played(uuid4(), (), Window(TEMPO.bar_frame(4), TEMPO.bar_frame(9)))
    elsewhere = Played(uuid4(), (), Window(TEMPO.bar_frame(14), TEMPO.bar_frame(15)))
    sheet = line(unused, elsewhere)
    assert (sheet.take_ids, sheet.missing_bars) == ([unused.take_id], 8)


def test_phrases_fill_the_section_and_the_last_may_be_shorter():
    phrases = line().phrases
    assert [(phrase.first_bar, phrase.bars) for phrase in phrases] == [(5, 3), (8, 3), (11, 2)]
    assert phrases[0].from_frame == TEMPO.bar_frame(5)
    assert phrases[-1].to_frame == TEMPO.bar_frame(13)


def test_a_starred_take_is_heard_before_a_newer_one_and_a_struck_one_never():
    span = (Window(TEMPO.bar_frame(1), TEMPO.bar_frame(5)),)
    newest, starred, struck = uuid4(), uuid4(), uuid4()
    takes = [Played(struck, span, rating="struck"), Played(newest, span), Played(starred, span, rating="starred")]
    found = line(*takes, first_bar=1, bars=4)
    assert {bar.take_id for bar in found.bars} == {starred}
    assert found.first_take_id == starred
    # All of them are listed, the newest first.
    assert found.take_ids == [struck, newest, starred]
    without = line(*takes[:1], first_bar=1, bars=4)
    assert {bar.take_id for bar in without.bars} == {None}


def test_two_takes_that_share_a_bar_play_it_and_a_hole_between_them_is_missing():
    half = TEMPO.bar_frame(6) + 60_000
    first, second = played((TEMPO.bar_frame(5), half)), played((half, TEMPO.bar_frame(13)))
    assert line(first, second).missing_bars == 0
    assert line(first, second).bars[1].take_id == first.take_id
    assert line(first, played((half + 400, TEMPO.bar_frame(13)))).missing_bars == 1


def test_where_a_comp_says_so_its_pieces_are_drawn_and_not_the_newest_take():
    old, new = (Played(uuid4(), (Window(0, TEMPO.bar_frame(13)),), Window(0, TEMPO.bar_frame(13))) for _ in "ab")
    place = Window(TEMPO.bar_frame(5), TEMPO.bar_frame(11))
    comp = Comp((place,), (CompPiece(take_id=old.take_id, take_frame=place.from_frame, place=place),))
    drawn = sheet_line(
        TEMPO, first_bar=5, bars=8, phrase_bars=2, takes=[new, old], sounding=performance(comp, [new, old])
    )
    assert [bar.take_id == old.take_id for bar in drawn.bars] == [True] * 6 + [False] * 2
    assert (drawn.first_take_id, drawn.take_ids) == (old.take_id, [new.take_id, old.take_id])
