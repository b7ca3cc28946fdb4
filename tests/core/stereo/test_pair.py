"""Two microphones made from one sound: the way that is told, and each remedy's sum against the sum that it gives."""

import numpy as np
import pytest

from fatsignal.core.level.third_octaves import NAMED_BANDS_HZ
from fatsignal.core.stereo.pair import measure_pair
from fatsignal.core.stereo.report import sum_verdict
from fatsignal.core.units import speed_of_sound_m_s
from tests.signals import FS, delayed, noise, plucks

SOURCE = noise(6, seed=31)


def pair(delay_frames, *, polarity=1, gain=1.0, source=SOURCE):
    other = polarity * gain * delayed(source, delay_frames)
    return measure_pair(source, other, names=("mic A", "mic B"), rate_hz=FS), source, other


def summed_db(first, second, band=(0.0, FS / 2)):
    """The sum against the sum of powers in a band, by the spectrum of the whole."""
    frequency_hz = np.fft.rfftfreq(len(first), 1 / FS)
    inside = (frequency_hz >= band[0]) & (frequency_hz < band[1])
    both, one, other = (np.sum(np.abs(np.fft.rfft(each)[inside]) ** 2) for each in (first + second, first, second))
    return 10 * np.log10(both / (one + other))


@pytest.mark.parametrize("delay_frames", [-35.5, 4.8, 120.25])
def test_how_much_farther_is_the_delay_times_the_speed_of_sound(delay_frames):
    found, _, _ = pair(delay_frames)
    assert found.delay_ms == pytest.approx(1000 * delay_frames / FS, abs=0.001)
    assert found.farther_cm == pytest.approx(100 * delay_frames / FS * speed_of_sound_m_s(), abs=0.05)
    farther, nearer = ("mic B", "mic A") if delay_frames > 0 else ("mic A", "mic B")
    assert found.says == f"{farther} is {abs(found.farther_cm):.1f} cm farther than {nearer}, same polarity"
    assert found.notches_hz[0] == pytest.approx(FS / (2 * abs(delay_frames)), rel=1e-3)


@pytest.mark.parametrize(("delay_frames", "polarity", "gain"), [(4.8, 1, 0.7), (9.3, -1, 1.0), (-20.0, 1, 0.4)])
def test_each_remedy_gives_the_sum_that_it_tells(delay_frames, polarity, gain):
    found, first, second = pair(delay_frames, polarity=polarity, gain=gain)
    assert found.now.whole_db == pytest.approx(summed_db(first, second), abs=0.1)
    for name, limits in NAMED_BANDS_HZ.items():
        assert found.now.named_db[name] == pytest.approx(summed_db(first, second, limits), abs=0.5)
    told = {remedy.name: remedy for remedy in found.remedies}
    # Played later, the earlier one lies on the other.
    late = {"mic A": first, "mic B": second}
    late[told["delay"].delays] = delayed(late[told["delay"].delays], told["delay"].delay_ms / 1000 * FS)
    assert told["delay"].flips == ("mic B" if polarity < 0 else "")
    if told["delay"].flips:
        late["mic B"] = -late["mic B"]
    assert told["delay"].sum_of.whole_db == pytest.approx(summed_db(*late.values()), abs=0.1)
    assert told["flip"].sum_of.whole_db == pytest.approx(summed_db(first, -second), abs=0.1)
    assert told["move"].sum_of == told["delay"].sum_of


def test_turned_over_the_sum_is_hollow_where_it_was_full():
    """Notches of a comb that is turned over lie at the multiples of 1/delay instead of half-way between."""
    found, _, _ = pair(48.0, polarity=-1)
    assert found.notches_hz[:2] == pytest.approx([1_000.0, 2_000.0], rel=1e-3)


def test_together_they_gain_three_decibels_and_turned_over_they_are_gone():
    """Two that are one: +3.01 dB against the sum of powers (10·log10(4/2)); one turned over: nothing is left."""
    found, _, _ = pair(0.0)
    assert found.says == "mic A and mic B are in time, same polarity"
    assert [remedy.name for remedy in found.remedies] == ["flip"]
    assert found.now.whole_db == pytest.approx(3.0103, abs=1e-3)
    assert found.now.verdict == "good"
    assert found.remedies[0].sum_of.whole_db < -50
    assert found.remedies[0].sum_of.verdict == "fix"


def test_what_hears_something_else_has_no_delay_to_speak_of():
    found = measure_pair(SOURCE, noise(6, seed=32), names=("mic A", "mic B"), rate_hz=FS)
    assert not found.same_source
    assert found.remedies == []
    assert "hardly hear the same" in found.says
    assert found.now.whole_db == pytest.approx(0.0, abs=0.2)


def test_real_playing_is_measured_so_too():
    found, _, _ = pair(14.2, source=plucks(6.0))
    assert found.delay.delay_samples == pytest.approx(14.2, abs=0.05)


@pytest.mark.parametrize(("sum_db", "verdict"), [(0.0, "good"), (-2.9, "good"), (-3.1, "look"), (-6.1, "fix")])
def test_a_sum_is_judged_by_what_it_loses(sum_db, verdict):
    """Common practice, no source."""
    assert sum_verdict(sum_db) == verdict


def test_a_band_that_is_faint_is_told_too_and_one_with_nothing_is_not():
    faint = lowpassed(SOURCE, 2_000) + 1e-3 * SOURCE
    found, first, second = pair(4.8, source=faint)
    assert found.now.named_db["fizz"] == pytest.approx(summed_db(first, second, NAMED_BANDS_HZ["fizz"]), abs=0.5)
    nothing, _, _ = pair(4.8, source=lowpassed(SOURCE, 2_000))
    assert nothing.now.named_db["fizz"] is None
    assert nothing.now.named_verdicts["fizz"] is None


def lowpassed(samples, edge_hz):
    spectrum = np.fft.rfft(samples)
    spectrum[np.fft.rfftfreq(len(samples), 1 / FS) > edge_hz] = 0
    return np.fft.irfft(spectrum, len(samples))
