"""Recordings of guitars and basses that nobody here played, through every tone that comes with the program.

Debian's package sonic-pi-samples, openly licensed.
"""

from pathlib import Path

import numpy as np
import pytest
import soundfile

from fatsignal.core.clip import Clip
from fatsignal.core.instrument.plays_like import likely_full_scale_v
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.render import render
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.tones import shipped_tones

SAMPLES = Path("/usr/share/sonic-pi/samples")
GUITARS, BASSES = ("guit_em9", "guit_e_fifths", "guit_harmonics"), ("bass_woodsy_c", "bass_thick_c")
pytestmark = pytest.mark.skipif(not SAMPLES.exists(), reason="Debian's sonic-pi-samples are not installed")


def recorded(name, string_volts):
    samples, rate_hz = soundfile.read(SAMPLES / f"{name}.flac", always_2d=True)
    mono = samples.mean(axis=1)[: 4 * rate_hz]
    peak_dbfs = 20 * np.log10(np.abs(mono).max())
    return mono, rate_hz, DiVoltage(likely_full_scale_v(peak_dbfs, string_volts=string_volts))


@pytest.mark.parametrize("tone", shipped_tones(), ids=lambda tone: tone.name)
def test_a_real_recording_comes_out_as_loud_as_the_riff_without_noise_or_direct_voltage(tone):
    name = BASSES[len(tone.name) % 2] if "bass" in tone.instruments else GUITARS[len(tone.name) % 3]
    dry, rate_hz, voltage = recorded(name, 0.4 if "acoustic" in tone.instruments else 0.85)
    # Silence before it, as in a take: what a tone adds by itself.
    quiet = np.zeros(rate_hz // 2)
    wet = render(ToneChain(tone, rate_hz=rate_hz, voltage=voltage), np.concatenate((quiet, dry)))
    assert np.isfinite(wet).all()
    sounding = wet[len(quiet) :]
    loudness = integrated_loudness_lufs(Clip(sounding.reshape(len(sounding), -1), rate_hz))
    # The riffs are at -18; recordings that are played otherwise, whose voltage is a guess, stay in reach of a fader.
    assert -34 < loudness < -4
    before = wet[rate_hz // 10 : len(quiet) - rate_hz // 20]
    assert 20 * np.log10(np.abs(before).max() + 1e-12) < -90
    offset = np.abs(sounding.mean(axis=0)).max()
    assert 20 * np.log10(offset / np.std(sounding) + 1e-12) < -36
