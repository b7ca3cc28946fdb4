from uuid import uuid4

from fatsignal.core.takes.performance import Played
from fatsignal.core.takes.sheet import sheet_line
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.tempo import TempoMap

TEMPO = TempoMap.steady(104, rate_hz=48_000)


def line(*takes, first_bar=5, bars=8, phrase_bars=3):
    return sheet_line(TEMPO, first_bar=first_bar, bars=bars, phrase_bars=phrase_bars, takes=takes)


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
    found = sheet_line(TEMPO, first_bar=1, bars=4, phrase_bars=2, takes=takes)
    assert {bar.take_id for bar in found.bars} == {starred}
    assert found.first_take_id == starred
    # All of them are listed, the newest first.
    assert found.take_ids == [struck, newest, starred]
    without = sheet_line(TEMPO, first_bar=1, bars=4, phrase_bars=2, takes=takes[:1])
    assert {bar.take_id for bar in without.bars} == {None}
