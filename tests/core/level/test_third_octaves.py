"""Thirds of an octave, against IEC 61260-1 and what sounds are made of."""

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from fatsignal.core.level.third_octaves import (
    CENTRES_HZ,
    NAMED_BANDS_HZ,
    named_levels_db,
    power_spectrum,
    third_octaves,
    tilt_db_per_octave,
)
from tests.signals import FS, noise, sine


def spectrum_of(signal, rate_hz=FS):
    return power_spectrum([signal[:, None]], rate_hz=rate_hz)


def test_centres_are_those_of_the_standard():
    """IEC 61260-1: 1000·10^(x/10); the exact centres behind 31.5, 63, 160, 1000, 2500 and 16000 Hz."""
    for exact_hz in (31.623, 63.096, 158.489, 1000.0, 2511.886, 15848.932):
        assert np.abs(CENTRES_HZ - exact_hz).min() < 1e-3 * exact_hz
    assert len(CENTRES_HZ) == 31


@pytest.mark.parametrize("number", range(1, 31, 3))
@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
def test_a_sine_is_in_its_own_band_and_in_no_other(number, rate_hz):
    """A sine at full scale has −3.01 dB (formula); the standard's class 1 wants a neighbour's centre 17.5 dB down."""
    centre_hz = CENTRES_HZ[number]
    bands = third_octaves(spectrum_of(sine(centre_hz, seconds=4, rate_hz=rate_hz), rate_hz))
    assert bands[number].level_db == pytest.approx(-3.01, abs=0.05)
    assert all(band.level_db < -20 for place, band in enumerate(bands) if place != number)


def test_white_noise_rises_by_a_decibel_a_band_and_pink_is_flat():
    """10·log10 of a band's width: 1 dB a third, 3.01 dB an octave (formula)."""
    white = noise(20, seed=9)
    bands = third_octaves(spectrum_of(white))
    steps = np.diff([band.level_db for band in bands if 100 < band.centre_hz < 16_000])
    assert steps.mean() == pytest.approx(1.0, abs=0.05)
    assert tilt_db_per_octave(bands) == pytest.approx(3.01, abs=0.1)
    spectrum = np.fft.rfft(white)
    pink = np.fft.irfft(spectrum / np.sqrt(np.maximum(np.arange(len(spectrum)), 1.0)))
    assert tilt_db_per_octave(third_octaves(spectrum_of(pink))) == pytest.approx(0.0, abs=0.1)


def test_all_bands_together_have_the_power_of_the_sound():
    """Parseval: what lies between 18 Hz and 22 kHz, whatever the length and the blocks."""
    signal = sosfilt(butter(6, [60, 9_000], "bandpass", fs=FS, output="sos"), noise(5.3, seed=10))
    blocks = [signal[start : start + 4_321, None] for start in range(0, len(signal), 4_321)]
    bands = third_octaves(power_spectrum(blocks, rate_hz=FS))
    assert sum(10 ** (band.level_db / 10) for band in bands) == pytest.approx(np.mean(signal**2), rel=0.01)
    in_one = third_octaves(spectrum_of(signal))
    assert [band.level_db for band in bands] == pytest.approx([band.level_db for band in in_one], abs=1e-9)


def test_an_offset_takes_nothing_from_a_band():
    """A constant is one bin of a spectrum whose others stand for two."""
    bands = third_octaves(spectrum_of(1.0 + sine(1000.0, seconds=8)))
    assert max(band.level_db for band in bands if band.centre_hz > 500) == pytest.approx(-3.01, abs=0.05)


def test_two_channels_that_cancel_are_not_silent():
    signal = sine(1000.0)
    both = third_octaves(power_spectrum([np.column_stack((signal, -signal))], rate_hz=FS))
    assert max(band.level_db for band in both) == pytest.approx(-3.01, abs=0.05)


@pytest.mark.parametrize("frames", [1, 700, 20_000])
def test_a_short_sound_has_its_power_too(frames):
    signal = noise(1, seed=11)[:frames]
    assert spectrum_of(signal).power.sum() == pytest.approx(np.mean(signal**2))
    assert not spectrum_of(np.zeros(frames)).power.any()


def test_named_bands_hear_what_lies_in_them():
    for name, (low_hz, high_hz) in NAMED_BANDS_HZ.items():
        levels = named_levels_db(spectrum_of(sine(np.sqrt(low_hz * high_hz), seconds=3)))
        assert max(levels, key=levels.__getitem__) == name
        assert levels[name] == pytest.approx(-3.01, abs=0.05)
