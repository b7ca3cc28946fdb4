"""Pitch against formulas, against a reference library on sampled notes, and against what is no single note."""

from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy.signal import resample_poly

from fatsignal.core.clip import Clip
from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.pitch.note_list import list_notes
from fatsignal.core.pitch.notes import nearest_note, note_name, parse_tuning, targets_of
from fatsignal.core.pitch.reading import lowered_rate, read_pitch
from fatsignal.core.pitch.tuner import Tuner
from fatsignal.core.units import cents_between, equal_tempered_hz
from fatsignal.errors import InvalidSetting
from tests.reference.soundfont import sampled_notes
from tests.signals import FS, noise, sine

SAMPLES = next(Path("/usr/share/sonic-pi").rglob("guit_*.flac"), Path()).parent
LOWEST = [23, 28, 33, 35, 38, 40, 45, 50, 55, 59, 64]


def string(frequency_hz, *, seconds=1.0, stiffness=1e-4, seed=1, rate_hz=FS, sharp_cents=0.0):
    """A plucked stiff string by its partials, f_n = n·f1·sqrt((1 + B·n²)/(1 + B)) (Fletcher 1964)."""
    random = np.random.default_rng(seed)
    time_s = np.arange(round(seconds * rate_hz)) / rate_hz
    glide = 2 ** (sharp_cents / 1200 * np.exp(-time_s / 0.12))
    turns = np.cumsum(glide) / rate_hz
    out = np.zeros(len(time_s))
    for n in range(1, 40):
        partial_hz = n * frequency_hz * np.sqrt((1 + stiffness * n**2) / (1 + stiffness))
        if partial_hz > 8_000:
            break
        level = abs(np.sin(0.45 * n)) / n
        out += (
            level * np.exp(-time_s * (0.7 + 0.25 * n)) * np.sin(2 * np.pi * partial_hz * turns + random.uniform(0, 6))
        )
    return 0.3 * out / np.abs(out).max()


@pytest.mark.parametrize("note", LOWEST)
@pytest.mark.parametrize("cents", [-17.3, 0.0, 8.1])
def test_half_a_second_of_a_clean_string_is_read_to_half_a_cent(note, cents):
    """By formula; ±0.5 cent above 60 Hz and ±1 cent down to B0, 30.9 Hz."""
    true_hz = equal_tempered_hz(note) * 2 ** (cents / 1200)
    found = read_pitch(string(true_hz)[round(0.03 * FS) : round(0.49 * FS)], rate_hz=FS)
    assert found is not None
    assert abs(cents_between(true_hz, found.frequency_hz)) < (0.5 if true_hz > 60 else 1.0)


@pytest.mark.parametrize("rate_hz", [44_100, 96_000, 192_000])
def test_the_rate_does_not_matter(rate_hz):
    found = read_pitch(string(82.407, rate_hz=rate_hz)[: rate_hz // 2], rate_hz=rate_hz)
    assert found is not None
    assert abs(cents_between(82.407, found.frequency_hz)) < 0.5


def test_noise_twenty_db_below_a_string_does_not_move_it_far():
    signal = string(110.0)[: FS // 2]
    hiss = noise(0.5, seed=3) * np.sqrt(np.mean(signal**2)) * 10 ** (-20 / 20)
    found = read_pitch(signal + hiss, rate_hz=FS)
    assert found is not None
    assert abs(cents_between(110.0, found.frequency_hz)) < 1.0


@pytest.mark.parametrize(
    "signal",
    [
        np.zeros(FS // 2),
        0.2 * noise(0.5, seed=2),
        0.5 * sine(20.0, seconds=0.5),
        string(82.407)[: FS // 2] + string(103.826, seed=2)[: FS // 2] + string(123.47, seed=3)[: FS // 2],
        string(110.0)[: FS // 2] + string(155.563, seed=2)[: FS // 2],
        1e-5 * string(110.0)[: FS // 2],
        np.zeros(0),
    ],
    ids=["silence", "noise", "rumble of 20 Hz", "a triad", "a tritone", "too quiet", "nothing"],
)
def test_what_is_no_single_note_is_not_read(signal):
    assert read_pitch(signal, rate_hz=FS) is None


PLUCKED = ("Nylon", "Steel", "Jazz", "Finger", "Picked", "Acoustic")


def test_sampled_notes_are_heard_as_a_reference_library_hears_them():
    """Debian's fluid-soundfont-gm (MIT), 57 sampled strings; librosa's YIN finds their period.

    A stiff string's sharp partials shorten the period, so YIN lies above the first partial, the more the stiffer.
    """
    from tests.reference.music_library import librosa

    apart = []
    for sampled in sampled_notes():
        if sampled.name.split()[0] not in PLUCKED or "Drum" in sampled.name:
            continue
        signal = sampled.samples()[round(0.06 * sampled.rate_hz) : round(0.52 * sampled.rate_hz)]
        found = read_pitch(signal, rate_hz=sampled.rate_hz)
        assert found is not None, sampled.name
        frame = min(1 << int(np.log2(len(signal))), 16_384 if found.frequency_hz < 60 else 8_192)
        heard = librosa.yin(
            signal, fmin=0.8 * found.frequency_hz, fmax=1.25 * found.frequency_hz, sr=sampled.rate_hz,
            frame_length=frame, hop_length=frame // 2, trough_threshold=0.3,
        )  # fmt: skip
        apart.append(cents_between(float(np.median(heard)), found.frequency_hz))
    assert len(apart) == 57
    assert max(np.abs(apart)) < 15
    assert -4 < np.median(apart) <= 0
    assert max(apart) < 2.5


@pytest.mark.skipif(not SAMPLES.name, reason="sonic-pi-samples is not installed")
@pytest.mark.parametrize(("name", "note"), [("guit_e_fifths", None), ("bass_hit_c", None), ("bass_woodsy_c", 48)])
def test_open_recordings_are_listed_note_by_note(name, note):
    """Debian's sonic-pi-samples (CC0): a single bass note is named; fifths and a growl give no wrong single note."""
    from tests.reference.music_library import librosa

    samples, rate_hz = soundfile.read(SAMPLES / f"{name}.flac", always_2d=True)
    notes = list_notes(Clip(samples, rate_hz))
    for found in notes:
        heard = librosa.yin(
            samples.mean(axis=1)[round(found.start_s * rate_hz) :][: rate_hz // 2], fmin=found.frequency_hz * 0.8,
            fmax=found.frequency_hz * 1.25, sr=rate_hz, frame_length=8192,
        )  # fmt: skip
        assert abs(cents_between(float(np.median(heard)), found.frequency_hz)) < 30
    if note is not None:
        assert notes
        assert nearest_note(notes[0].frequency_hz)[0] % 12 == note % 12


def tuned(signal, *, tuning=None, block=256, reference_pitch_hz=440.0, rate_hz=FS):
    """Readings of a tuner that is asked thirty times a second."""
    targets = targets_of(tuning or INSTRUMENTS["six-string guitar"].open_notes, reference_pitch_hz=reference_pitch_hz)
    tuner = Tuner(targets, rate_hz=rate_hz, reference_pitch_hz=reference_pitch_hz)
    readings, asked = [], 0
    for start in range(0, len(signal), block):
        tuner.push(signal[start : start + block])
        if (start + block) * 30 // rate_hz > asked:
            asked += 1
            readings.append(((start + block) / rate_hz, tuner.reading()))
    return readings


@pytest.mark.parametrize("note", [23, 28, 40, 64])
def test_within_half_a_second_of_a_pluck_the_tuner_has_the_string(note):
    true_hz = equal_tempered_hz(note) * 2 ** (6 / 1200)
    signal = np.concatenate((np.zeros(FS // 4), string(true_hz, seconds=1.5)))
    tuning = (23, 28, 33, 38, 43, 64) if note == 23 else (28, 40, 64)
    early = [r for at, r in tuned(signal, tuning=tuning) if 0.25 < at <= 0.75 and r is not None]
    assert early
    last = early[-1]
    assert last.note == note_name(note)
    assert last.cents == pytest.approx(6.0, abs=0.5 if true_hz > 60 else 1.0)


def test_a_note_that_begins_sharp_is_shown_to_drift():
    signal = np.concatenate((np.zeros(FS // 4), string(110.0, seconds=2.0, sharp_cents=15.0)))
    drifts = [r.drift_cents for _, r in tuned(signal) if r is not None and r.drift_cents is not None]
    assert drifts[-1] > 3


def test_the_next_string_is_found_by_itself_and_silence_shows_nothing():
    rest = np.zeros(FS // 2)
    signal = np.concatenate((rest, string(82.407), rest, string(329.628, seed=4)))
    readings = tuned(signal)
    assert all(r is None for at, r in readings if at < 0.5)
    assert {r.note for at, r in readings if 1.0 < at < 1.4 and r} == {"E2"}
    assert {r.note for at, r in readings if at > 2.5 and r} == {"E4"}


@pytest.mark.parametrize("reference_pitch_hz", [415.0, 432.0, 442.0])
def test_every_reference_pitch_moves_the_targets(reference_pitch_hz):
    signal = string(82.407 * reference_pitch_hz / 440.0)
    last = [r for _, r in tuned(signal, reference_pitch_hz=reference_pitch_hz) if r][-1]
    assert last.cents == pytest.approx(0.0, abs=0.5)


def test_notes_of_a_file_are_listed_with_start_string_and_cents():
    rest = np.zeros(FS // 2)
    first, second = string(82.407, seconds=1.2), string(110.0 * 2 ** (12 / 1200), seconds=1.2, seed=5)
    notes = list_notes(Clip.mono(np.concatenate((rest, first, rest, second)), FS), targets_of((40, 45, 50, 55, 59, 64)))
    assert [note.note for note in notes] == ["E2", "A2"]
    assert [note.string for note in notes] == [0, 1]
    assert notes[0].start_s == pytest.approx(0.5, abs=0.02)
    assert notes[1].start_s == pytest.approx(2.2, abs=0.02)
    assert notes[1].cents == pytest.approx(12, abs=0.5)


def test_tunings_are_typed_as_notes_or_numbers():
    assert parse_tuning("E2 A2 D3 G3 B3 E4") == (40, 45, 50, 55, 59, 64)
    assert parse_tuning("b0, E1 a1 d2 G2") == (23, 28, 33, 38, 43)
    assert parse_tuning("B♭1 F#2 34 Eb3") == (34, 42, 34, 51)
    for typed in ("", "H2", "E", "E2 200", "1 2", "x"):
        with pytest.raises(InvalidSetting):
            parse_tuning(typed)


@pytest.mark.parametrize(("rate_hz", "factor"), [(48_000, 8), (44_100, 7), (96_000, 16), (8_000, 1)])
def test_the_rate_is_lowered_as_a_reference_library_lowers_it(rate_hz, factor):
    """Against `scipy.signal.resample_poly`, for lengths that are no multiple of the factor too."""
    for frames in (4_000, 4_001, 4_007, 5):
        signal = np.random.default_rng(frames).normal(size=frames)
        low_rate_hz, lowered = lowered_rate(signal, rate_hz)
        assert low_rate_hz == rate_hz / factor
        np.testing.assert_allclose(lowered, resample_poly(signal, 1, factor), atol=1e-12)
