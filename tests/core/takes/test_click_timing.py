"""Against the click: a known hand is measured as it is."""

import numpy as np
import pytest

from fatsignal.core.takes.click_timing import against_click
from fatsignal.core.timing.tempo import TempoMap

TEMPO = TempoMap.steady(96, rate_hz=48_000)
BEAT = 30_000


def strokes(division, count=64):
    start = TEMPO.bar_frame(1)
    return np.array([start + round(index * BEAT / division) for index in range(count)])


@pytest.mark.parametrize("division", [1, 2, 3, 4])
def test_the_subdivision_is_found_and_a_perfect_hand_is_on_it(division):
    found = against_click(strokes(division), TEMPO)
    assert found.subdivision == division
    assert (found.mean_ms, found.spread_ms, found.drift_ms) == pytest.approx((0, 0, 0), abs=0.02)


def test_a_loose_hand_with_strokes_between_is_still_held_against_its_eighths():
    """On a fine grid everything is near to something: one stroke in six beside the eighths does not make sextuplets."""
    random = np.random.default_rng(3)
    eighths = strokes(2) + random.normal(0, 12 * 48, 64).astype(int)
    between = random.choice(strokes(2)[:-1], 12, replace=False) + random.integers(BEAT // 8, 3 * BEAT // 8, 12)
    assert against_click(np.sort(np.concatenate([eighths, between])), TEMPO).subdivision == 2


def test_a_few_sixteenths_among_eighths_are_meant():
    between = strokes(2)[3:-1:5] + BEAT // 4
    found = against_click(np.sort(np.concatenate([strokes(2), between])), TEMPO)
    assert found.subdivision == 4
    assert found.spread_ms == pytest.approx(0, abs=0.02)


@pytest.mark.parametrize("ms", [-18.0, 7.5, 22.0])
def test_a_hand_that_lies_behind_or_ahead_does_so_by_as_much(ms):
    found = against_click(strokes(2) + round(ms * 48), TEMPO)
    assert found.mean_ms == pytest.approx(ms, abs=0.02)
    assert all(stroke.ms == pytest.approx(ms, abs=0.02) for stroke in found.strokes)


def test_scatter_is_its_standard_deviation():
    """Normal errors of 9 ms: over 400 strokes the estimate's own error is 9/sqrt(800) = 0.3 ms."""
    errors = np.random.default_rng(5).normal(0, 9 * 48, 400).astype(int)
    found = against_click(strokes(2, 400) + errors, TEMPO)
    assert found.spread_ms == pytest.approx(9.0, abs=1.0)
    assert abs(found.mean_ms) < 1.5


def test_a_hand_that_drags_more_and_more_drifts():
    frames = strokes(2, 80)
    late = np.linspace(0, 30 * 48, 80).astype(int)
    found = against_click(frames + late, TEMPO)
    assert found.drift_ms == pytest.approx(30, abs=0.5)
    assert found.mean_ms == pytest.approx(15, abs=0.5)


def test_through_a_change_of_meter_and_tempo_strokes_keep_to_their_bars():
    from fractions import Fraction

    from fatsignal.core.timing.tempo import MeterChange, TempoChange

    song = TempoMap(
        48_000, (TempoChange(1, Fraction(96)), TempoChange(5, Fraction(132))),
        (MeterChange(1, 4), MeterChange(3, 7, 8)), 100_000,
    )  # fmt: skip
    frames = [frame for _, _, frame in song.beats(1, 9)]
    found = against_click(frames, song)
    assert (found.mean_ms, found.spread_ms) == pytest.approx((0, 0), abs=0.02)


def test_without_strokes_there_is_nothing_to_say():
    assert against_click([], TEMPO).strokes == []
