"""The rules of easing: by strokes of a line that are moved and tuned, and by random changes."""

from uuid import UUID

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.easing.easing import EasedStroke, Easing, apart, ease, runs, without
from fatsignal.core.takes.windows import Window
from fatsignal.errors import InvalidSetting

RATE = 1000
STRUCK = [1000, 1400, 1800, 2200, 2600, 3000]
TAKE = Window(0, 4000)
TAKE_IDS = [UUID(int=number) for number in (1, 2)]


def eased(before, by, *, struck=STRUCK, bounds=TAKE):
    changed = {frame: each if isinstance(each, EasedStroke) else EasedStroke(frame, each) for frame, each in by.items()}
    return ease(before, struck, changed, bounds=bounds, rate_hz=RATE)


def test_a_stroke_is_eased_between_its_neighbours():
    easing = eased(None, {1800: 12})
    assert easing.strokes == (EasedStroke(1400), EasedStroke(1800, 12), EasedStroke(2200))
    assert (easing.changes, easing.sounds, easing.later) == (Window(1400, 2200), Window(1400, 2200), 0)
    assert easing.eased == (EasedStroke(1800, 12),)
    # Between strokes in proportion, there and back.
    assert [easing.sounds_at(frame) for frame in (1400, 1600, 1800, 2000, 2200, 9)] == [1400, 1606, 1812, 2006, 2200, 9]
    assert [easing.take_frame(frame) for frame in (1400, 1606, 1812, 2006, 2200)] == [1400, 1600, 1800, 2000, 2200]


def test_what_goes_back_leaves_nothing():
    easing = eased(eased(None, {1800: 12}), {2600: -9})
    assert [each.take_frame for each in easing.strokes] == [1400, 1800, 2200, 2600, 3000]
    assert without(easing, Window(1810, 1815)) == eased(None, {2600: -9})
    assert without(easing, Window(0, 4000)) is None
    assert eased(easing, {1800: 0, 2600: 0}) is None
    assert eased(None, {1800: 0}) is None


def test_what_was_brought_to_another_tempo_stays_so():
    slower = Easing((EasedStroke(1000), EasedStroke(1400, 40), EasedStroke(1800, 80)))
    assert (slower.later, slower.sounds) == (80, Window(1000, 1880))
    assert without(slower, TAKE) == slower
    # What is eased besides lies as much later.
    more = eased(slower, {2600: 92})
    assert (more.later, more.strokes[-3:]) == (
        80,
        (EasedStroke(2200, 80), EasedStroke(2600, 92), EasedStroke(3000, 80)),
    )


def test_a_tuned_note_ends_at_the_next_stroke():
    easing = eased(None, {1800: EasedStroke(1800, 0, -14.0)})
    assert easing.strokes == (EasedStroke(1800, 0, -14.0), EasedStroke(2200))
    assert easing.sounds == Window(1800, 2200)


def test_without_another_stroke_the_gap_closes_within_two_seconds():
    easing = eased(None, {5000: 20}, struck=[5000], bounds=Window(0, 20_000))
    assert easing.strokes == (EasedStroke(3000), EasedStroke(5000, 20), EasedStroke(7000))


def test_runs_are_what_changes_and_nothing_else():
    easing = eased(eased(None, {1400: 8}), {2600: EasedStroke(2600, 8, 5.0)})
    first, second = runs(easing)
    assert (first.at, first.later, first.easing.strokes[1]) == (Window(1000, 1800), 0, EasedStroke(1400, 8))
    assert (second.at, second.later) == (Window(2200, 3000), 0)
    # The same strokes make the same sound, whatever else is eased.
    assert first.easing == runs(eased(None, {1400: 8}))[0].easing
    take = TAKE_IDS[0]
    assert first.easing.source_id(take) == runs(eased(None, {1400: 8}))[0].easing.source_id(take)
    assert len({easing.source_id(take), first.easing.source_id(take), first.easing.source_id(TAKE_IDS[1])}) == 3
    # A passage that is later as a whole is a run on either side.
    both = runs(eased(None, {1800: 8, 2200: 8}))
    assert [(each.at, each.later) for each in both] == [(Window(1400, 1808), 8), (Window(2208, 2600), 0)]


def test_what_cannot_be_stretched_is_refused_with_a_sentence():
    with pytest.raises(InvalidSetting, match="come before the one before it"):
        Easing((EasedStroke(1400), EasedStroke(1800, -450), EasedStroke(2200)))
    with pytest.raises(InvalidSetting, match="would ring only 0 ms: move it less far"):
        eased(None, {1800: -370})
    with pytest.raises(InvalidSetting, match=r"4\.2 times as long"):
        eased(None, {1080: 160}, struck=[1000, 1080, 1400])
    with pytest.raises(InvalidSetting, match="begins with this stroke"):
        eased(None, {10: 5}, struck=[10, 400])
    with pytest.raises(InvalidSetting, match="ends with this stroke"):
        eased(None, {3990: -5}, struck=[3000, 3990])
    with pytest.raises(InvalidSetting, match="at most 100 cents"):
        EasedStroke(0, 0, 120.0)
    with pytest.raises(InvalidSetting, match="needs a stroke before it"):
        Easing((EasedStroke(0, 3), EasedStroke(90)))


def test_strokes_that_follow_at_once_move_together():
    assert apart([100, 120, 200, 235, 280], rate_hz=RATE) == [100, 200, 280]
    assert apart([100, 120, 200], first=[120], rate_hz=RATE) == [120, 200]


small = st.integers(-60, 60)


@settings(deadline=None, max_examples=200)
@given(st.lists(st.tuples(st.sampled_from(STRUCK[1:-1]), small, st.sampled_from([0.0, 7.5, -20.0])), max_size=6))
def test_whatever_is_eased_outside_nothing_changes_and_all_comes_back(changes):
    easing = None
    for frame, by, cents in changes:
        easing = eased(easing, {frame: EasedStroke(frame, by, cents)})
        assert easing is None or easing.later == 0
    last = {frame: (by, cents) for frame, by, cents in changes}
    kept = {each.take_frame: (each.by_frames, each.cents) for each in (easing.strokes if easing else ())}
    for frame, wanted in last.items():
        assert kept.get(frame, (0, 0.0)) == wanted
    if easing is not None:
        # In order, never over each other, and only where something was asked.
        for run in runs(easing):
            assert easing.sounds.from_frame <= run.at.from_frame < run.at.to_frame <= easing.sounds.to_frame
        for frame in (0, easing.changes.from_frame, easing.changes.to_frame, 3999):
            assert easing.sounds_at(frame) == frame
    assert without(easing, TAKE) is None
