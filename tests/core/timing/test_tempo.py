from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fatsignal.core.timing.tempo import (
    MeterChange,
    TempoChange,
    TempoMap,
    parse_meter,
    parse_tempo,
)
from fatsignal.errors import InvalidSetting

RATES_HZ = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000]


@st.composite
def tempo_maps(draw):
    """Maps of up to six tempi, some of them ramps, and up to four meters, at every rate."""
    bars = sorted(draw(st.sets(st.integers(2, 200), max_size=5)))
    bpms = draw(st.lists(st.fractions(20, 400, max_denominator=300), min_size=len(bars) + 1, max_size=len(bars) + 1))
    ramps = [*draw(st.lists(st.booleans(), min_size=len(bars), max_size=len(bars))), False]
    tempos = tuple(TempoChange(bar, bpm, ramp) for bar, bpm, ramp in zip([1, *bars], bpms, ramps, strict=True))
    meter_bars = sorted(draw(st.sets(st.integers(2, 200), max_size=3)))
    meters = tuple(
        MeterChange(bar, draw(st.integers(1, 12)), draw(st.sampled_from([2, 4, 8, 16]))) for bar in [1, *meter_bars]
    )
    return TempoMap(draw(st.sampled_from(RATES_HZ)), tempos, meters, draw(st.integers(0, 1 << 24)))


@settings(max_examples=200, deadline=None)
@given(tempo_maps(), st.integers(-8, 400))
def test_bars_and_frames_are_each_others_inverse(tempo, bar):
    frame = tempo.bar_frame(bar)
    assert tempo.bar_at(frame) == bar
    assert tempo.bar_at(frame - 1) == bar - 1


@settings(max_examples=200, deadline=None)
@given(tempo_maps(), st.integers(-(1 << 22), 1 << 26))
def test_every_frame_has_a_place_and_every_place_its_frame(tempo, frame):
    place = tempo.place_at(frame)
    assert tempo.frame_of(place) == frame
    assert place.frames_after >= 0
    assert 1 <= place.beat <= tempo.meter_at(place.bar).beats


@settings(max_examples=100, deadline=None)
@given(tempo_maps(), st.integers(1, 300))
def test_a_bar_is_as_long_as_its_tempo_says_within_a_frame(tempo, bar):
    """Between two tempi the bar's length lies between theirs: the quarter's length changes evenly."""
    quarters = tempo.meter_at(bar).quarters
    slow, fast = sorted((tempo.bpm_at(bar), tempo.bpm_at(bar + 1)))
    frames = tempo.bar_frame(bar + 1) - tempo.bar_frame(bar)
    changes_here = any(change.bar == bar + 1 for change in tempo.tempos)
    if not changes_here:
        assert 60 * tempo.rate_hz * quarters / fast - 1.01 <= frames <= 60 * tempo.rate_hz * quarters / slow + 1.01


def test_a_steady_song_by_hand():
    """104 beats a minute, 48 kHz: a beat is 60·48000/104 = 27692.3 frames; two bars of room come first."""
    tempo = TempoMap.steady(104, rate_hz=48_000, lead_in_bars=2)
    assert tempo.bar_frame(1) == round(8 * 27692.3076923)
    assert tempo.bar_beat_at(tempo.bar_frame(3) + 30_000) == (3, 2)
    assert tempo.bar_beat_at(0) == (-1, 1)


def test_a_ramp_by_hand():
    """From 60 to 120 over four quarters: quarters last 1 s to 0.5 s, so the bar lasts 4·0.75 = 3 s (trapezium)."""
    changes = (TempoChange(1, Fraction(60), ramp=True), TempoChange(2, Fraction(120)))
    tempo = TempoMap(48_000, changes)
    assert tempo.bar_frame(2) == 3 * 48_000
    assert tempo.bar_frame(3) == 5 * 48_000
    # Half of the way in quarters: 2·1 − 0.125·2²/2 = 1.75 s.
    assert tempo.beat_frame(1, 3) == round(1.75 * 48_000)
    assert tempo.bpm_at(1) == 60
    assert tempo.bpm_at(2) == 120


def test_meters_by_hand():
    """A bar of 7/8 holds three and a half quarters: at 120 beats a minute 1.75 s."""
    tempo = TempoMap(48_000, (TempoChange(1, Fraction(120)),), (MeterChange(1, 4), MeterChange(3, 7, 8)))
    assert tempo.bar_frame(3) == 4 * 48_000
    assert tempo.bar_frame(4) - tempo.bar_frame(3) == 84_000
    assert [beat for _, beat, _ in tempo.beats(3, 4)] == list(range(1, 8))
    assert tempo.beat_frame(3, 2) - tempo.beat_frame(3, 1) == 12_000


def test_nothing_gathers_over_two_thousand_bars():
    """311/3 beats a minute at 44.1 kHz: bar 2001 lies where one division puts it."""
    tempo = TempoMap.steady(Fraction(311, 3), rate_hz=44_100, lead_in_bars=0)
    assert tempo.bar_frame(2001) == round(Fraction(60 * 44_100 * 4 * 2000 * 3, 311))


@pytest.mark.parametrize("bpm", [0, -5, 10**9, 19, 401])
def test_absurd_tempos_are_refused_with_the_range(bpm):
    with pytest.raises(InvalidSetting, match="outside 20 to 400"):
        TempoMap.steady(bpm, rate_hz=48_000) if bpm > 0 else TempoMap(48_000, (TempoChange(1, Fraction(bpm)),))


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ((TempoChange(2, Fraction(100)),), "the first tempo must stand at bar 1"),
        ((TempoChange(1, Fraction(100)), TempoChange(1, Fraction(90))), "each needs a bar of its own"),
        ((TempoChange(1, Fraction(100), ramp=True),), "has no tempo to go to"),
        ((TempoChange(1, Fraction(100)), TempoChange(3000, Fraction(90))), "up to 2000 bars"),
    ],
)
def test_maps_that_say_nothing_clear_are_refused(changes, says):
    with pytest.raises(InvalidSetting, match=says):
        TempoMap(48_000, changes)


@pytest.mark.parametrize(
    ("typed", "bpm"),
    [("104", 104), (" 104.2 ", Fraction("104.2")), ("104,2", Fraction("104.2")), ("311/3", Fraction(311, 3))],
)
def test_tempos_as_people_type_them(typed, bpm):
    assert parse_tempo(typed) == bpm


@pytest.mark.parametrize("typed", ["fast", "", "0", "-5", "1e9", "1/0", "nan", "inf", "120bpm"])
def test_what_is_no_tempo_is_refused_with_a_sentence(typed):
    with pytest.raises(InvalidSetting, match=r"is not a tempo|is outside"):
        parse_tempo(typed)


def test_meters_as_people_type_them():
    assert parse_meter(" 7 / 8 ") == (7, 8)
    for typed in ("0/4", "4/0", "4/3", "33/4", "4", "four/4", "4/4/4", "-3/4"):
        with pytest.raises(InvalidSetting, match="meter"):
            parse_meter(typed)
