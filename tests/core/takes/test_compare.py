"""Planted mistakes are found at their place with their size, and clean takes raise nothing."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from fatsignal.core.takes.compare import compare
from fatsignal.core.takes.findings import Finding, explained, in_words, worst_first
from fatsignal.core.takes.judge import JudgedTake, judge, timing_of
from fatsignal.core.takes.stroke_alignment import line_up
from fatsignal.core.takes.windows import Gap, Window
from tests.core.takes.played import PARTS, TEMPO, beats_of, heard, mistake
from tests.signals import FS

NEAR = round(0.06 * FS)


def takes_with(part, *mistakes, others=4, seed=50):
    """A take with planted mistakes before clean ones of the same part."""
    return [heard(part, seed=seed, mistakes=mistakes), *(heard(part, seed=seed + 1 + n) for n in range(others))]


@pytest.mark.parametrize(
    ("part", "kind", "index", "amount", "found", "size", "within"),
    [
        ("lead", "missing", 8, 0, "missing", 1, 0),
        ("lead", "late", 9, 0.035, "late", 35, 9),
        ("lead", "detuned", 7, -20, "flat", -20, 7),
        ("lead", "detuned", 11, 20, "sharp", 20, 7),
        ("lead", "choked", 6, 0, "choked", None, None),
        ("bass", "missing", 12, 0, "missing", 1, 0),
        ("bass", "late", 14, 0.035, "late", 35, 11),
        ("bass", "choked", 10, 0, "choked", None, None),
        ("rests", "ringing", 4, 0.4, "rings over", None, None),
        ("muted", "missing", 11, 0, "missing", 1, 0),
        ("muted", "late", 13, 0.035, "late", 35, 9),
        ("chords", "choked", 6, 0, "choked", None, None),
        ("chords", "missing", 9, 0, "missing", 1, 0),
    ],
)
def test_a_planted_mistake_is_found_at_its_place_with_its_size(part, kind, index, amount, found, size, within):
    planted = mistake(kind, PARTS[part], index, amount)
    first, *clean = compare(takes_with(PARTS[part], planted), PARTS[part].span, TEMPO)
    at = TEMPO.quarter_frame(planted.beat)
    hits = [each for each in first if each.kind == found and abs(each.at_frame - at) <= NEAR]
    assert len(hits) == 1, first
    if size is not None:
        assert hits[0].amount == pytest.approx(size, abs=within)
    assert not [each for row in clean for each in row if abs(each.at_frame - at) <= NEAR]


def test_an_extra_stroke_is_one_that_nobody_else_has():
    part = PARTS["bass"]
    beat = beats_of(part)[9] + Fraction(1, 4)
    planted = mistake("extra", part, 9)
    planted = type(planted)(planted.kind, beat)
    first, *clean = compare(takes_with(part, planted), part.span, TEMPO)
    assert [each.kind for each in first if abs(each.at_frame - TEMPO.quarter_frame(beat)) <= NEAR] == ["extra"]
    assert not [each for row in clean for each in row if each.kind == "extra"]


@pytest.mark.parametrize("part", list(PARTS))
def test_clean_takes_raise_nothing(part):
    takes = [heard(PARTS[part], seed=seed) for seed in range(80, 86)]
    rows = judge([JudgedTake(t.playing, t.from_frame, (PARTS[part].span,)) for t in takes], phrases(PARTS[part]), TEMPO)
    assert [finding for row in rows for verdict in row for finding in verdict.findings] == []


def test_takes_line_up_on_what_they_have_in_common():
    part = PARTS["bass"]
    takes = takes_with(part, mistake("missing", part, 5))
    meant = line_up(takes, part.span, rate_hz=FS)
    written = np.array([TEMPO.quarter_frame(beat) for beat in beats_of(part)])
    common = meant.frames[meant.share >= 0.6]
    assert len(common) == len(written)
    assert np.abs(common - written).max() < 0.03 * FS
    lacking = int(np.argmin(np.abs(meant.frames - written[5])))
    assert meant.strokes[0, lacking] == -1
    assert (meant.strokes[1:, lacking] >= 0).all()


def test_with_one_take_only_click_and_temperament_speak():
    part = PARTS["lead"]
    take = heard(part, seed=60, mistakes=(mistake("late", part, 9, 0.05), mistake("missing", part, 4)))
    (found,) = compare([take], part.span, TEMPO)
    assert "missing" not in {each.kind for each in found}
    late = [each for each in found if each.kind == "late"]
    assert len(late) == 1
    assert abs(late[0].at_frame - TEMPO.quarter_frame(beats_of(part)[9])) < NEAR
    assert compare([], part.span, TEMPO) == []


def test_a_string_out_of_tune_for_the_whole_take_is_no_slip_of_the_hand():
    """All notes of one pitch are 15 cents off: that is tuning, and no single note is marked for it."""
    part = PARTS["bass"]
    low = tuple(mistake("detuned", part, index, 16.0) for index in range(8))
    first, *_ = compare(takes_with(part, *low), part.span, TEMPO)
    assert not [each for each in first if each.kind == "sharp" and each.at_frame < part.span.from_frame + FS]


def judged(part, seed, **changes):
    take = heard(part, seed=seed)
    values = {"playing": take.playing, "from_frame": take.from_frame, "windows": (part.span,)}
    return JudgedTake(**(values | changes))


def phrases(part):
    middle = (part.span.from_frame + part.span.to_frame) // 2
    return [Window(part.span.from_frame, middle), Window(middle, part.span.to_frame)]


def test_a_take_is_judged_only_where_it_is_used():
    part = PARTS["bass"]
    first, second = phrases(part)
    half = judged(part, 90, windows=(first,), flat_tops={"DI": [FS, 8 * FS]}, gaps=(Gap(2 * FS, 480),))
    rows = judge([half, *(judged(part, seed) for seed in (91, 92))], [first, second], TEMPO)
    assert [verdict.played for verdict in rows[0]] == [True, False]
    kinds = [each.kind for each in rows[0][0].findings]
    assert kinds.count("clipped") == 1
    assert kinds.count("lost") == 1
    lost = next(each for each in rows[0][0].findings if each.kind == "lost")
    assert lost.amount == pytest.approx(10.0)
    assert lost.at_frame == half.from_frame + 2 * FS
    assert rows[0][1].findings == []
    assert all(verdict.played for row in rows[1:] for verdict in row)


def test_a_phrase_that_is_played_softer_than_in_other_takes_is_told():
    part = PARTS["bass"]
    takes = [judged(part, seed) for seed in (93, 94, 95)]
    soft = replace(takes[0].playing, envelope_db=takes[0].playing.envelope_db - 7.0)
    rows = judge([replace(takes[0], playing=soft), *takes[1:]], phrases(part), TEMPO)
    quiet = [each for verdict in rows[0] for each in verdict.findings if each.kind == "quiet"]
    assert len(quiet) == 2
    assert quiet[0].amount == pytest.approx(-7, abs=1.5)


def test_a_take_stands_against_the_click_as_it_was_played():
    part = PARTS["bass"]
    timing = timing_of(judged(part, 96), part.span, TEMPO)
    assert timing.subdivision == 2
    assert len(timing.strokes) == pytest.approx(len(beats_of(part)), abs=2)
    assert abs(timing.mean_ms) < 12
    assert 1 < timing.spread_ms < 10


def test_marks_are_few_and_the_worst_comes_first():
    found = [
        Finding("late", 100, 30.0, "late 30 ms"), Finding("missing", 50, 1, "note missing"),
        Finding("missing", 70, 1, "note missing"), Finding("late", 200, 44.0, "late 44 ms"),
        Finding("clipped", 300, 1, "DI clipped", channel="DI"),
    ]  # fmt: skip
    marks = worst_first(found)
    assert [mark.says for mark in marks] == ["DI clipped", "2 notes missing", "late 44 ms"]
    assert [mark.verdict for mark in marks] == ["fix", "look", "look"]
    for kind in ("missing", "extra", "late", "flat", "choked", "rings over", "clipped", "lost", "quiet", "loud"):
        assert len(in_words(kind, 12.3).split()) <= 3
        assert len(explained(Finding(kind, 0, 12.3, "x", channel="DI"))) > 20
