"""Where the passes of a roll lie, in the stream and in the song."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from fatsignal.core.takes.roll_plan import Range, RollPlan, RollSettings, plan_loop, plan_once, plan_windows
from fatsignal.core.takes.windows import Window, clipped, holds, joined, touches
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import InvalidSetting

TEMPO = TempoMap.steady(120, rate_hz=48_000)
BAR = TEMPO.bar_frame(2) - TEMPO.bar_frame(1)


def bar(number):
    return TEMPO.bar_frame(number)


def test_once_counts_in_plays_and_lets_the_end_ring():
    plan = plan_once(TEMPO, Range(5, 9), RollSettings(), count_in_bars=2)
    assert (plan.from_frame, plan.play_from_frame) == (bar(3), bar(5))
    assert plan.windows == (Window(bar(5), bar(9)),)
    assert plan.to_frame == bar(9) + BAR // 2
    assert plan.again_from_frame is None


def test_a_pre_roll_is_heard_after_the_count_in_and_a_post_roll_after_the_end():
    settings = RollSettings(pre_roll_bars=2, post_roll_bars=1)
    plan = plan_once(TEMPO, Range(5, 9), settings, count_in_bars=1)
    assert (plan.from_frame, plan.play_from_frame, plan.to_frame) == (bar(2), bar(3), bar(10))
    assert plan.windows == (Window(bar(5), bar(9)),)


def test_rolling_from_anywhere_keeps_the_beat_of_the_count_in():
    """From 1.3 beats into bar 6: a bar of count-in begins as far into bar 5, so that its clicks lead to that place."""
    start = bar(6) + 31_200
    plan = plan_once(TEMPO, Range(6, 41), RollSettings(), count_in_bars=1, from_frame=start)
    assert plan.from_frame == bar(5) + 31_200
    assert plan.windows == (Window(start, bar(41)),)


def test_before_the_sessions_zero_there_is_nothing():
    plan = plan_once(TempoMap.steady(120, rate_hz=48_000, lead_in_bars=1), Range(1, 3), RollSettings(), count_in_bars=4)
    assert plan.from_frame == 0


def test_by_hand_nothing_is_used_until_it_is_pressed():
    plan = plan_once(TEMPO, Range(5, 9), RollSettings(), count_in_bars=0, by_hand=True)
    assert (plan.windows, plan.by_hand) == ((), True)


def test_a_loop_counts_in_once_and_goes_round_without_a_break():
    plan = plan_loop(TEMPO, RollSettings(way="loop", loop_bar=5, loop_bars=2), count_in_bars=1)
    assert (plan.from_frame, plan.again_from_frame, plan.to_frame) == (bar(4), bar(5), bar(7))
    assert plan.handle_frames == BAR // 4
    assert plan.song_frame_at(0) == bar(4)
    assert plan.song_frame_at(3 * BAR - 1) == bar(7) - 1
    assert plan.song_frame_at(3 * BAR) == bar(5)
    assert plan.song_frame_at(3 * BAR + 17 * 2 * BAR + 5) == bar(5) + 5


def test_windows_are_passed_from_the_first_to_the_last():
    windows = (Window(bar(9), bar(10)), Window(bar(5), bar(6)), Window(bar(6), bar(7)))
    settings = RollSettings(way="windows", windows=windows, pre_roll_bars=1, post_roll_bars=1)
    plan = plan_windows(TEMPO, settings, count_in_bars=1)
    assert plan.windows == (Window(bar(5), bar(7)), Window(bar(9), bar(10)))
    assert (plan.from_frame, plan.play_from_frame, plan.to_frame) == (bar(3), bar(4), bar(11))
    with pytest.raises(InvalidSetting, match="no window yet"):
        plan_windows(TEMPO, RollSettings(way="windows"), count_in_bars=1)


def test_again_begins_with_the_count_in_again():
    plan = plan_once(TEMPO, Range(5, 6), RollSettings(again=True), count_in_bars=1)
    assert plan.again_from_frame == plan.from_frame == bar(4)
    assert plan.pass_at(3).song_from == bar(4)
    with pytest.raises(IndexError):
        plan_once(TEMPO, Range(5, 6), RollSettings(), count_in_bars=1).pass_at(1)


def test_a_roll_that_ends_before_it_begins_is_no_plan():
    with pytest.raises(ValidationError, match="end after it begins"):
        RollPlan(way="once", from_frame=100, play_from_frame=100, to_frame=100)
    with pytest.raises(ValidationError, match="begin before it ends"):
        RollPlan(way="loop", from_frame=0, play_from_frame=0, to_frame=100, again_from_frame=100)


@given(
    first_bar=st.integers(1, 60), bars=st.integers(1, 12), count_in=st.integers(0, 4), index=st.integers(0, 250),
    bpm=st.integers(30, 300), beats=st.integers(1, 7),
)  # fmt: skip
def test_passes_of_any_loop_meet_at_their_seams_and_lie_where_they_were_played(
    first_bar, bars, count_in, index, bpm, beats
):
    tempo = TempoMap.steady(bpm, rate_hz=48_000, beats_per_bar=beats)
    plan = plan_loop(tempo, RollSettings(loop_bar=first_bar, loop_bars=bars), count_in_bars=count_in)
    here, following = plan.pass_at(index), plan.pass_at(index + 1)
    assert here.seam_to == following.seam_from
    assert here.stream_to - here.seam_to == plan.handle_frames
    assert following.stream_from <= following.seam_from
    for place in (here, following):
        # What lies on the file's frame f was played at that place of the song, handles apart.
        offset = place.seam_from - place.stream_from
        assert plan.song_frame_at(place.seam_from) == place.song_from + offset
        assert plan.song_frame_at(place.seam_to - 1) == place.song_from + offset + place.seam_to - 1 - place.seam_from


WINDOW = st.tuples(st.integers(0, 60), st.integers(0, 60)).map(lambda pair: Window(*sorted(pair)))


@given(st.lists(WINDOW, max_size=8), WINDOW)
def test_windows_behave_as_sets_of_frames(windows, within):
    frames = {frame for window in windows for frame in range(*window)}
    together = joined(windows)
    assert {frame for window in together for frame in range(*window)} == frames
    assert all(one.to_frame < other.from_frame for one, other in pairwise(together))
    inside = clipped(windows, within)
    assert {frame for window in inside for frame in range(*window)} == frames & set(range(*within))
    if within.frames:
        assert touches(together, within) == bool(frames & set(range(*within)))
        assert holds(together, within) == (set(range(*within)) <= frames)
