"""Bringing in a backing track: converted, measured and listened to without holding all of it."""

from types import SimpleNamespace

import numpy as np
import pyloudnorm
import pytest
import soundfile

from fatsignal.acts.import_backing import import_backing
from fatsignal.acts.waves import load_wave
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.core.mono_sound import MonoInMemory
from fatsignal.core.timing import beat_onsets, beat_tracking
from fatsignal.core.timing.beat_tracking import find_pulse
from fatsignal.core.timing.tempo import MeterChange, TempoMap
from fatsignal.errors import FileRefused
from fatsignal.files.sound import open_mono
from tests.signals import FS, noise

LOOP = "/usr/share/sonic-pi/samples/loop_amen_full.flac"


def brought_in(tmp_path, source, *, beats=4, **more):
    tempo = TempoMap(FS, TempoMap.steady(120, rate_hz=FS).tempos, (MeterChange(1, beats),))
    session = SimpleNamespace(rate_hz=FS, tempo=tempo, folder="Song")
    places = {"sessions_folder": tmp_path / "sessions", "waves_folder": tmp_path / "waves"}
    return import_backing(source, shown_name=source.name, session=session, **places, **more)


@pytest.fixture
def recording(tmp_path):
    """A recorded drum loop, several times round, longer than any stretch that is looked at together."""
    samples, rate_hz = soundfile.read(LOOP, always_2d=True)
    path = tmp_path / "loop.wav"
    soundfile.write(path, np.tile(samples, (6, 1)), rate_hz, "PCM_24")
    return path


def test_what_is_told_of_it_is_what_all_of_it_at_once_tells(tmp_path, recording):
    """Loudness against pyloudnorm, the wave and the pulse against the whole file in memory."""
    shares = []
    made = brought_in(tmp_path, recording, on_progress=shares.append)
    samples, rate_hz = soundfile.read(tmp_path / "sessions" / "Song" / made.file, always_2d=True)
    assert (rate_hz, len(samples)) == (FS, made.frames)
    assert made.loudness_lufs == pytest.approx(pyloudnorm.Meter(FS).integrated_loudness(samples), abs=0.1)
    np.testing.assert_array_equal(load_wave(tmp_path / "waves", str(made.id)), columns(samples))
    whole = find_pulse(MonoInMemory(samples.mean(axis=1), FS), beats_per_bar=4)
    assert made.pulse["beats"] == whole.beats
    assert made.pulse["bpm"] == pytest.approx(whole.bpm)
    assert shares == sorted(shares)
    assert shares[-1] == pytest.approx(0.75, abs=0.01)


def test_the_pulse_is_the_same_however_long_the_stretches_are(recording, monkeypatch):
    with open_mono(recording) as sound:
        in_long_ones = find_pulse(sound)
        for module in (beat_onsets, beat_tracking):
            monkeypatch.setattr(module, "STRETCH_FRAMES", 97)
        in_short_ones = find_pulse(sound)
    assert in_short_ones.beats == in_long_ones.beats
    assert in_short_ones.bpm == pytest.approx(in_long_ones.bpm, rel=1e-12)
    assert in_short_ones.first_downbeat == in_long_ones.first_downbeat


def test_what_ends_in_silence_sounds_and_its_bars_are_those_of_the_song(tmp_path, recording):
    samples, rate_hz = soundfile.read(recording, always_2d=True)
    soundfile.write(recording, np.concatenate((samples, np.zeros((5 * rate_hz, 2)))), rate_hz)
    made = brought_in(tmp_path, recording, beats=3)
    assert made.pulse["beats_per_bar"] == 3
    assert made.pulse["beats"][-1] < len(samples) / rate_hz * FS


def test_channels_are_listened_to_together(tmp_path):
    left, right = 0.1 * noise(1.0, seed=1), 0.1 * noise(1.0, seed=2)
    soundfile.write(tmp_path / "two.wav", np.column_stack((left, right)), FS, "DOUBLE")
    with open_mono(tmp_path / "two.wav") as sound:
        assert (sound.rate_hz, sound.frames) == (FS, FS)
        np.testing.assert_array_equal(sound.read(-10, 30), np.concatenate((np.zeros(10), (left + right)[:20] / 2)))


def test_silence_is_refused_and_noise_comes_in_without_a_pulse(tmp_path):
    soundfile.write(tmp_path / "silence.wav", np.zeros(FS), FS)
    with pytest.raises(FileRefused, match="nothing but silence"):
        brought_in(tmp_path, tmp_path / "silence.wav")
    soundfile.write(tmp_path / "short.wav", 0.1 * noise(1.0, seed=1), FS)
    made = brought_in(tmp_path, tmp_path / "short.wav")
    assert (made.pulse, made.no_pulse) == (None, "1.0 s are too short to find a tempo in: 4 s are needed")
    left = [path.name for path in (tmp_path / "sessions" / "Song" / "Backing").iterdir()]
    assert left == ["short.wav"]
