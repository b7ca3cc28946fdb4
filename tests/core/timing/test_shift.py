"""Shifts as they are typed."""

from fractions import Fraction

import pytest

from fatsignal.core.timing.shift import Shift, parse_shift
from fatsignal.core.timing.tempo import MeterChange, TempoChange, TempoMap
from fatsignal.errors import InvalidSetting


@pytest.mark.parametrize(
    ("typed", "amount", "unit"),
    [
        ("12 ms", 12, "ms"), ("-7,5", Fraction(-15, 2), "ms"), ("−3ms", -3, "ms"), ("0.2 s", 200, "ms"),
        ("240 samples", 240, "samples"), ("-1 sample", -1, "samples"), ("+48 smp", 48, "samples"),
        ("1/16", Fraction(1, 4), "quarters"), ("-1/8T", Fraction(-1, 3), "quarters"),
        ("1/8.", Fraction(3, 4), "quarters"),
        ("1/4 dotted", Fraction(3, 2), "quarters"), ("2 beats", 2, "quarters"),
    ],
)  # fmt: skip
def test_ways_of_typing(typed, amount, unit):
    assert parse_shift(typed) == Shift(Fraction(amount), unit)


@pytest.mark.parametrize("typed", ["", "soon", "1/0", "12 bananas", "--3", "3600001", "1e9 ms"])
def test_what_is_no_shift_is_said(typed):
    with pytest.raises(InvalidSetting):
        parse_shift(typed)


def test_notes_last_as_long_as_the_tempo_has_them():
    """120 and 90 beats a minute: a sixteenth is 125 ms, then 166.7 ms; a step over the change is both."""
    tempo = TempoMap(48_000, (TempoChange(1, Fraction(120)), TempoChange(2, Fraction(90))), (MeterChange(1, 4),), 0)
    sixteenth = parse_shift("1/16")
    assert sixteenth.frames_from(tempo.bar_frame(1), tempo) == 6_000
    assert sixteenth.frames_from(tempo.bar_frame(2) + 333, tempo) == 8_000
    # From half a sixteenth before the change: 62.5 ms of the one and 83.3 ms of the other.
    assert sixteenth.frames_from(tempo.bar_frame(2) - 3_000, tempo) == 7_000
    assert parse_shift("-1/16").frames_from(tempo.bar_frame(2) + 4_000, tempo) == -7_000


def test_samples_and_milliseconds_are_the_same_everywhere():
    tempo = TempoMap.steady(100, rate_hz=44_100)
    assert parse_shift("10 ms").frames_from(5, tempo) == 441
    assert parse_shift("-17 samples").frames_from(5, tempo) == -17


def test_in_other_meters_a_note_is_a_note():
    tempo = TempoMap.steady(120, rate_hz=48_000, beats_per_bar=7, unit=8)
    assert parse_shift("1/8").frames_from(tempo.bar_frame(3), tempo) == 12_000


def test_there_and_back_is_where_it_was():
    """104 beats a minute: a quarter is 27692.3 samples, wherever its beginning was rounded to."""
    tempo = TempoMap.steady(104, rate_hz=48_000)
    for bar in range(1, 9):
        later = parse_shift("1/4").frames_from(tempo.bar_frame(bar), tempo)
        assert later == 27_692
        assert parse_shift("-1/4").frames_from(tempo.bar_frame(bar) + later, tempo) == -later
