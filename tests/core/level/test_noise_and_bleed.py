"""Noise and bleed: planted hum, buzz, hiss and leaks of known levels; the A-weighting's table."""

import math

import numpy as np
import pytest

from fatsignal.core.level.bleed import measure_bleed
from fatsignal.core.level.noise import a_weighting_db, measure_noise, noise_advice
from fatsignal.core.timing.click import render_click
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.errors import SignalError
from tests.signals import FS, noise

# IEC 61672-1:2013, table 3 (weighting A); from memory, tenths of a decibel.
A_WEIGHTING = {
    20: -50.5, 31.5: -39.4, 50: -30.2, 63: -26.2, 100: -19.1, 125: -16.1, 200: -10.9, 250: -8.6, 500: -3.2, 1000: 0.0,
    2000: 1.2, 2500: 1.3, 4000: 1.0, 8000: -1.1, 10000: -2.5, 16000: -6.6, 20000: -9.3,
}  # fmt: skip


def test_a_weighting_is_that_of_the_table():
    # The table's nominal frequencies stand for exact ones of a tenth-decade series: 31.5 is 31.62 Hz.
    exact = [10 ** (round(10 * math.log10(hz)) / 10) for hz in A_WEIGHTING]
    np.testing.assert_allclose(a_weighting_db(np.array(exact)), list(A_WEIGHTING.values()), atol=0.06)


def hiss(level_dbfs, seconds=5.0, seed=1):
    return 10 ** (level_dbfs / 20) * noise(seconds, seed=seed)


def lines(frequencies_hz, level_dbfs, seconds=5.0):
    """Sines of equal strength that have `level_dbfs` together."""
    time_s = np.arange(round(seconds * FS)) / FS
    amplitude = 10 ** (level_dbfs / 20) * math.sqrt(2 / len(frequencies_hz))
    return amplitude * sum(np.sin(2 * np.pi * hz * time_s + 0.3 * hz) for hz in frequencies_hz)


@pytest.mark.parametrize("mains_hz", [50.0, 60.0, 49.94, 60.03])
def test_hum_buzz_and_hiss_are_told_apart_to_a_decibel(mains_hz):
    hum = lines([mains_hz * n for n in (1, 2, 3, 5)], -60.0)
    buzz = lines([mains_hz * n for n in range(14, 60, 2)], -66.0)
    report = measure_noise(hum + buzz + hiss(-80.0), rate_hz=FS, playing_dbfs=-15.0)
    assert report.mains_hz == pytest.approx(mains_hz, rel=0.002)
    assert report.hum_dbfs == pytest.approx(-60.0, abs=1.0)
    assert report.buzz_dbfs == pytest.approx(-66.0, abs=1.0)
    # White noise up to 24 kHz, of which up to 20 kHz is heard.
    assert report.hiss_dbfs == pytest.approx(-80.0 + 10 * math.log10(20 / 24), abs=1.0)
    assert report.worst == "hum"
    assert report.below_playing_db == pytest.approx(-15.0 - report.floor_dbfs)
    assert report.harmonics[0].frequency_hz == pytest.approx(mains_hz, abs=0.3)


def test_pure_hiss_has_no_mains_and_its_floor_is_its_level():
    for seed in range(4):
        report = measure_noise(hiss(-70.0, seed=seed), rate_hz=FS)
        assert report.mains_hz is None
        assert report.harmonics == []
        assert report.floor_dbfs == pytest.approx(-70.0, abs=0.1)
        assert report.worst == "hiss"


def test_the_a_weighted_level_of_a_tone_is_its_level_with_the_weight():
    tone = lines([100.0], -40.0)
    report = measure_noise(tone + hiss(-110.0), rate_hz=FS)
    assert report.floor_dbfs_a == pytest.approx(-40.0 - 19.1, abs=0.1)


def test_a_single_tone_is_no_mains_hum():
    assert measure_noise(lines([300.0], -50.0) + hiss(-90.0), rate_hz=FS).mains_hz is None


def test_silence_and_too_little():
    report = measure_noise(np.zeros(2 * FS), rate_hz=FS)
    assert report.floor_dbfs == -math.inf
    with pytest.raises(SignalError, match="wait longer"):
        measure_noise(np.zeros(FS // 2), rate_hz=FS)


def test_what_to_try_fits_what_is_wrong():
    hum = measure_noise(lines([50, 100, 150], -50) + hiss(-90), rate_hz=FS)
    assert "right angles" in noise_advice(hum, gain_db=10, single_coil=True, is_di_box=False)[0]
    assert "lift the ground" in noise_advice(hum, gain_db=10, single_coil=False, is_di_box=True)[0]
    loud = measure_noise(hiss(-50), rate_hz=FS)
    assert "less gain" in noise_advice(loud, gain_db=45, single_coil=True, is_di_box=False)[0]
    assert "before the input" in noise_advice(loud, gain_db=5, single_coil=True, is_di_box=False)[0]


def clicks(seconds=6.0):
    tempo = TempoMap.steady(120, rate_hz=FS, lead_in_bars=0)
    return render_click(tempo, from_frame=0, to_frame=round(seconds * FS)).channel(0)


def leaked(click, level_db, *, delay=211, seed=3):
    """The click through phones and air: late, and without its lows."""
    path = np.array([1.0, -0.75, 0.2, 0.1])
    heard = np.convolve(click, path)[: len(click)] * 10 ** (level_db / 20)
    return np.concatenate((np.zeros(delay), heard[:-delay]))


@pytest.mark.parametrize("level_db", [-20.0, -40.0, -55.0])
def test_a_planted_leak_is_found_at_its_level_and_delay(level_db):
    click = clicks()
    leak = leaked(click, level_db)
    sounding = np.convolve(np.abs(leak) > 0, np.ones(1)) > 0
    truth = 10 * math.log10(np.mean(leak[sounding] ** 2) * sounding.sum() / (12 * 0.05 * FS))
    found = measure_bleed(leak + hiss(-85.0, 6.0, seed=4), click, rate_hz=FS, playing_dbfs=-16.0)
    assert found.found
    assert found.leak_dbfs == pytest.approx(truth, abs=1.0)
    assert found.delay_ms == pytest.approx(1000 * 211 / FS, abs=0.2)
    assert found.below_playing_db == pytest.approx(-16.0 - found.leak_dbfs)


@pytest.mark.parametrize("seed", range(4))
def test_noise_and_playing_are_no_leak(seed):
    found = measure_bleed(hiss(-60.0, 6.0, seed=seed), clicks(), rate_hz=FS, playing_dbfs=-16.0)
    assert not found.found
    assert found.leak_dbfs == -math.inf


def test_a_click_is_needed_and_equal_lengths():
    with pytest.raises(SignalError, match="let it sound"):
        measure_bleed(np.zeros(FS), np.zeros(FS), rate_hz=FS, playing_dbfs=-16)
    with pytest.raises(SignalError, match="one length"):
        measure_bleed(np.zeros(FS), clicks(), rate_hz=FS, playing_dbfs=-16)
