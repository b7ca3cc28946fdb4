from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fatsignal.core.timing.click import click_sound, render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import SettingRefused

tempos = st.builds(
    TempoMap,
    tempo_bpm=st.fractions(20, 400, max_denominator=1000),
    beats_per_bar=st.integers(1, 12),
    rate_hz=st.sampled_from([44_100, 48_000, 88_200, 96_000, 192_000]),
)


@given(tempos, st.integers(-8, 4000))
def test_beats_and_frames_are_each_others_inverse(tempo, beat):
    frame = tempo.beat_frame(beat)
    assert tempo.beat_at(frame) == beat
    assert tempo.beat_at(frame - 1) == beat - 1


@given(tempos, st.integers(1, 500))
def test_bars_are_never_farther_apart_than_rounding(tempo, bar):
    exact = Fraction(60 * tempo.rate_hz * tempo.beats_per_bar) / tempo.tempo_bpm
    assert abs(tempo.bar_frame(bar + 1) - tempo.bar_frame(bar) - exact) <= 1


def test_the_demonstration_song_by_hand():
    """104 beats a minute, 48 kHz: a beat is 60·48000/104 = 27692.3 frames; two bars of room come first."""
    tempo = TempoMap(Fraction(104), 4, 48_000)
    assert tempo.bar_frame(1) == round(8 * 27692.3076923)
    assert tempo.bar_beat_at(tempo.bar_frame(3) + 30_000) == (3, 2)
    assert tempo.bar_beat_at(0) == (-1, 1)


@pytest.mark.parametrize(("bpm", "beats"), [(0, 4), (-5, 4), (10**9, 4), (120, 0), (120, 99)])
def test_absurd_tempos_are_refused_with_the_range(bpm, beats):
    with pytest.raises(SettingRefused, match="outside"):
        TempoMap(Fraction(bpm), beats, 48_000)


def test_every_click_begins_on_its_sample_and_the_bar_is_accented():
    tempo = TempoMap(Fraction(104), 4, 48_000)
    start, end = tempo.bar_frame(1), tempo.bar_frame(3)
    click = render_click(tempo, from_frame=start, to_frame=end).channel(0)
    for beat in range(8):
        at = tempo.beat_frame(beat) - start
        # Silence up to the sample before, the full first sample on it.
        assert at == 0 or click[at - 1] == 0
        assert click[at] == (0.5 if beat % 4 == 0 else 0.32)


def test_a_click_cut_out_of_the_middle_is_the_same_click():
    tempo = TempoMap(Fraction(97), 3, 44_100)
    whole = render_click(tempo, from_frame=0, to_frame=400_000).channel(0)
    part = render_click(tempo, from_frame=81_234, to_frame=300_000).channel(0)
    # A click that began before the cut is not drawn half; from the next one on they are equal.
    first = tempo.beat_frame(tempo.beat_at(81_234) + 1)
    np.testing.assert_array_equal(part[first - 81_234 :], whole[first:300_000])


def test_the_click_has_died_away_by_60_db_at_its_end():
    sound = click_sound(accent=True, rate_hz=48_000)
    assert np.abs(sound[-50:]).max() < 0.5 * 10 ** (-55 / 20)
