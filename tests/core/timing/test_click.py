import numpy as np
import pytest

from fatsignal.core.timing.click import ClickSettings, click_sound, render_click
from fatsignal.core.timing.tempo import TempoMap


def heard(settings=None, *, bars=2):
    tempo = TempoMap.steady(104, rate_hz=48_000)
    start, end = tempo.bar_frame(1), tempo.bar_frame(1 + bars)
    return tempo, start, render_click(tempo, from_frame=start, to_frame=end, settings=settings).channel(0)


def test_every_click_begins_on_its_sample_and_the_bar_is_accented():
    tempo, start, click = heard()
    for bar, beat, frame in tempo.beats(1, 3):
        at = frame - start
        # Silence up to the sample before, the full first sample on it: −6 dB for the accent, −10 dB for a beat.
        assert at == 0 or click[at - 1] == 0
        expected_db = -6.0 if beat == 1 else -10.0
        assert 20 * np.log10(click[at]) == pytest.approx(expected_db, abs=1e-9), (bar, beat)


@pytest.mark.parametrize("subdivision", [2, 3, 4])
def test_subdivisions_lie_between_the_beats_with_their_own_level(subdivision):
    tempo, start, click = heard(ClickSettings(subdivision=subdivision, sub_dbfs=-20.0))
    first, second = (frame - start for _, _, frame in list(tempo.beats(1, 2))[:2])
    for part in range(1, subdivision):
        at = first + round((second - first) * part / subdivision)
        found = min((at - 1, at, at + 1), key=lambda frame: abs(20 * np.log10(abs(click[frame]) + 1e-9) + 20))
        assert 20 * np.log10(click[found]) == pytest.approx(-20.0, abs=1e-6)
        assert click[found - 1] == 0


def test_levels_are_those_of_the_settings_and_off_is_quiet():
    _, start, click = heard(ClickSettings(accent_dbfs=-20, beat_dbfs=-60))
    assert np.abs(click).max() == pytest.approx(0.1)
    assert start > 0


@pytest.mark.parametrize("cut", [81_234, 200_000, 130_001])
def test_a_click_cut_anywhere_is_the_same_click(cut):
    tempo = TempoMap.steady(97, rate_hz=44_100, beats_per_bar=3)
    whole = render_click(tempo, from_frame=0, to_frame=400_000).channel(0)
    part = render_click(tempo, from_frame=cut, to_frame=300_000).channel(0)
    np.testing.assert_array_equal(part, whole[cut:300_000])


@pytest.mark.parametrize("sound", ["tone", "wood", "tick"])
@pytest.mark.parametrize("kind", ["accent", "beat", "sub"])
def test_every_sound_starts_at_its_peak_and_dies_away(sound, kind):
    click = click_sound(kind=kind, sound=sound, peak_dbfs=-6.0, rate_hz=48_000)
    assert np.abs(click).max() == pytest.approx(click[0]) == pytest.approx(10 ** (-6 / 20))
    assert np.abs(click[-50:]).max() < 0.5 * 10 ** (-55 / 20)


def test_the_three_are_told_apart_by_ear():
    """Common practice, no source: a third or more between their pitches."""

    def pitch_hz(kind):
        sound = click_sound(kind=kind, sound="tone", peak_dbfs=-6, rate_hz=48_000)
        return np.argmax(np.abs(np.fft.rfft(sound, 1 << 16))) * 48_000 / (1 << 16)

    accent, beat, sub = (pitch_hz(kind) for kind in ("accent", "beat", "sub"))
    assert accent / beat > 1.25
    assert beat / sub > 1.25
