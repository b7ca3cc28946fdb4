"""Chords against interval tables: equal temperament, pure ratios, beats."""

import numpy as np
import pytest

from fatsignal.core.pitch.chords import Shape, best_compromise, parse_frets, report_shape
from fatsignal.errors import InvalidSetting

GUITAR = (40, 45, 50, 55, 59, 64)
# Cents by which an equal-tempered interval is wider than the pure one: 100·n − 1200·log2(ratio). The table of
# H. von Helmholtz, On the Sensations of Tone (1885), Appendix XX; from memory, recomputed by the formula below.
WIDER = {
    (3, "6/5"): -15.641, (4, "5/4"): 13.686, (5, "4/3"): 1.955, (7, "3/2"): -1.955, (8, "8/5"): -13.686,
    (9, "5/3"): 15.641, (12, "2/1"): 0.0, (2, "9/8"): -3.910, (11, "15/8"): 11.731, (10, "9/5"): -17.596,
}  # fmt: skip


@pytest.mark.parametrize(("interval", "cents"), WIDER.items())
def test_equal_intervals_lie_as_far_from_pure_as_the_table_says(interval, cents):
    semitones, ratio = interval
    numerator, denominator = (int(part) for part in ratio.split("/"))
    assert 100 * semitones - 1200 * np.log2(numerator / denominator) == pytest.approx(cents, abs=1e-3)
    (found,) = report_shape(Shape("x", (semitones, 0)), (40, 40)).intervals
    assert found.ratio == ratio
    assert found.cents_from_pure == pytest.approx(cents, abs=1e-3)


def test_beats_by_hand():
    """A2 110 Hz and its equal-tempered major third C♯3 138.591 Hz: |5·110 − 4·138.591| = 4.365 beats a second."""
    (found,) = report_shape(Shape("third", (5, 4)), (40, 45)).intervals
    assert (found.low_note, found.high_note, found.name) == ("A2", "C♯3", "major third")
    assert found.beats_hz == pytest.approx(4.365, abs=0.002)


def test_a_third_that_is_let_down_by_13_7_cents_stops_beating():
    (found,) = report_shape(Shape("third", (5, 4)), (40, 45), offsets_cents=[0.0, -13.686]).intervals
    assert found.cents_from_pure == pytest.approx(0, abs=1e-3)
    assert found.beats_hz < 1e-3


def test_wide_intervals_and_crossed_strings_are_named():
    report = report_shape(Shape("G", parse_frets("320003")), GUITAR)
    names = {(i.low_note, i.high_note): i.name for i in report.intervals}
    assert names["G2", "G4"] == "2 octaves"
    assert names["G2", "B3"] == "major third and an octave"
    assert len(report.intervals) == 15
    crossed = report_shape(Shape("x", (12, 0)), (40, 45)).intervals[0]
    assert (crossed.low_note, crossed.high_note) == ("A2", "E3")


def test_the_compromise_is_the_minimum_and_leaves_strings_alone():
    shapes = [Shape(typed, parse_frets(typed)) for typed in ("x02210", "320003", "xx0232", "022100")]
    best = best_compromise(shapes, GUITAR, left_alone=[0, 5])
    assert best.offsets_cents[0] == best.offsets_cents[5] == 0

    def badness(offsets):
        reports = [report_shape(shape, GUITAR, offsets_cents=offsets) for shape in shapes]
        chords = sum(i.weight * i.cents_from_pure**2 for report in reports for i in report.intervals)
        return chords + 0.15 * len(shapes) * float(np.sum(np.square(offsets)))

    least = badness(best.offsets_cents)
    for string in range(1, 5):
        for step in (-0.5, 0.5):
            tried = list(best.offsets_cents)
            tried[string] += step
            assert badness(tried) > least
    before, after = (np.mean([r.clash_cents for r in reports]) for reports in (best.before, best.after))
    assert after < before


def test_one_open_major_chord_alone_becomes_nearly_pure():
    best = best_compromise([Shape("E", parse_frets("022100"))], GUITAR)
    third = next(i for i in best.after[0].intervals if i.name == "major third")
    assert abs(third.cents_from_pure) < 3


@pytest.mark.parametrize("typed", ["x02210", "x-0-2-2-1-0", "x 0 2 2 1 0", "X,0,2,2,1,0"])
def test_shapes_as_they_are_written(typed):
    assert parse_frets(typed) == (None, 0, 2, 2, 1, 0)
    assert parse_frets("8-x-10-9-8-x") == (8, None, 10, 9, 8, None)


@pytest.mark.parametrize(
    ("shapes", "alone", "says"),
    [
        (["x0221"], [], "has 5 strings and the tuning 6"),
        (["xxxxx0"], [], "sounds on one string only"),
        (["x-0-2-2-1-99"], [], "outside 0 to 36"),
        ([], [], "no chord is listed"),
        (["x02210"], [7], "outside 1 to 6"),
        (["x02210"], [0, 1, 2, 3, 4, 5], "free at least one"),
    ],
)
def test_what_cannot_be_held_or_moved_is_refused(shapes, alone, says):
    with pytest.raises(InvalidSetting, match=says):
        best_compromise([Shape(typed, parse_frets(typed)) for typed in shapes], GUITAR, left_alone=alone)


def test_words_are_no_shapes():
    for typed in ("hello", "", "x0221-", "1.5 2"):
        with pytest.raises(InvalidSetting):
            report_shape(Shape("x", parse_frets(typed)), GUITAR)
