"""Tempo from taps and from recordings, against performances whose tempo is known because they are synthesised."""

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from fatsignal.core.mono_sound import MonoInMemory
from fatsignal.core.timing import beat_tracking
from fatsignal.core.timing.beat_onsets import find_onsets, onset_strength
from fatsignal.core.timing.beat_tracking import beat_weights, find_pulse, heaviness
from fatsignal.core.timing.pulse import corrected, map_over
from fatsignal.core.timing.tapping import estimate_tempo
from fatsignal.errors import InvalidSetting, SignalError
from tests.signals import FS, noise


def taps(bpm, count, *, spread_s=0.012, seed=1):
    return np.arange(count) * 60 / bpm + np.random.default_rng(seed).normal(0, spread_s, count)


@pytest.mark.parametrize("bpm", [61.7, 92.0, 104.2, 178.5])
def test_even_taps_give_their_tempo_within_what_they_claim(bpm):
    found = estimate_tempo(taps(bpm, 12))
    assert abs(found.bpm - bpm) < 2 * found.uncertainty_bpm
    assert found.uncertainty_bpm < 0.03 * bpm


def test_the_claimed_uncertainty_holds_as_often_as_it_says():
    """A 95 % interval: of 400 tries the truth lies outside in 5 %, give or take three standard errors."""
    outside = sum(
        abs((found := estimate_tempo(taps(104.2, 9, seed=seed))).bpm - 104.2) > found.uncertainty_bpm
        for seed in range(400)
    )
    assert outside / 400 == pytest.approx(0.05, abs=0.033)


@pytest.mark.parametrize("spoilt", ["first", "missed", "double", "late"])
def test_one_bad_tap_does_not_spoil_it(spoilt):
    times = list(taps(100, 10, spread_s=0.008))
    match spoilt:
        case "first":
            times[0] -= 0.21
        case "missed":
            del times[4]
        case "double":
            times.insert(5, times[4] + 0.04)
        case "late":
            times[6] += 0.15
    found = estimate_tempo(times)
    assert found.bpm == pytest.approx(100, abs=1.2)
    assert found.whole_bpm in (99, 100, 101)


def test_after_a_pause_it_begins_anew_and_only_the_last_taps_count():
    times = np.concatenate((taps(80, 8), 30 + taps(120, 8)))
    assert estimate_tempo(times).bpm == pytest.approx(120, abs=2)
    assert estimate_tempo(taps(90, 60)).taps_used <= 16


@pytest.mark.parametrize(
    ("times", "says"),
    [
        ([], "0 taps so far"),
        ([1.0], "one tap so far"),
        ([0, 0.5, 1.0], "3 taps so far"),
        (list(np.arange(60) * 0.033), "the key was held down"),
        ([0, 0.31, 0.47, 1.6, 1.75, 2.9, 3.02, 4.4], "no common beat"),
        ([0.0, float("nan"), 1.0, 2.0], "has no time"),
        (list(np.arange(6) * 0.12), "outside 20 to 400"),
        (list(np.arange(6) * 4.0), "outside 20 to 400"),
    ],
)
def test_taps_that_say_nothing_are_refused_with_what_to_do(times, says):
    with pytest.raises(InvalidSetting, match=says):
        estimate_tempo(times)


def performance(beat_s, *, accents=(1.4, 1.0, 1.0, 1.0), lead_s=0.7, seed=2):
    """A drum pattern with its beats at the given times: kick on odd beats, snare on even ones, hats between."""
    random = np.random.default_rng(seed)
    total = round((lead_s + beat_s[-1] + 1.5) * FS)
    out = 1e-4 * random.standard_normal(total)
    time_s = np.arange(round(0.2 * FS)) / FS
    kick = 0.6 * np.sin(2 * np.pi * 55 * time_s) * np.exp(-time_s / 0.07)
    snare = 0.25 * random.standard_normal(len(time_s)) * np.exp(-time_s / 0.04)
    hat = 0.05 * np.diff(random.standard_normal(len(time_s)), prepend=0) * np.exp(-time_s / 0.02)
    for number, at_s in enumerate(beat_s):
        hit = kick if number % 2 == 0 else snare
        places = [(at_s, accents[number % len(accents)] * hit)]
        if number + 1 < len(beat_s):
            places.append(((at_s + beat_s[number + 1]) / 2, hat))
        for place_s, sound in places:
            start = round((lead_s + place_s) * FS)
            out[start : start + len(sound)] += sound
    return MonoInMemory(out, FS)


@pytest.mark.parametrize("bpm", [72.0, 104.0, 127.3])
def test_tempo_beats_and_first_downbeat_of_a_steady_performance(bpm):
    beat_s = np.arange(64) * 60 / bpm
    pulse = find_pulse(performance(beat_s))
    assert pulse.bpm == pytest.approx(bpm, rel=0.002)
    assert pulse.first_downbeat / FS == pytest.approx(0.7, abs=0.01)
    assert pulse.steady
    assert pulse.confidence > 0.5
    found = np.array(pulse.beats) / FS - 0.7
    near = [np.min(np.abs(found - at)) for at in beat_s[2:-2]]
    assert np.percentile(near, 95) < 0.012


def test_a_recording_that_starts_on_a_beat_has_its_first_beat_there():
    """Nothing comes before it that an attack could stand out from."""
    pulse = find_pulse(performance(np.arange(32) * 0.5, lead_s=0.0))
    assert pulse.beats[0] < 0.02 * FS
    assert pulse.first_downbeat == pulse.beats[0]


def test_the_strength_of_a_frame_is_that_of_what_lies_around_it():
    """Noise that begins at a frame's middle rises there and in the one before it, into which the window reaches."""
    signal = np.zeros(3 * FS)
    signal[FS:] = 0.1 * noise(2.0, seed=3)
    strength, hop = onset_strength(MonoInMemory(signal, FS))
    assert len(strength) == len(signal) // hop + 1
    assert -1 <= int(np.argmax(strength)) - FS // hop <= 0


def test_what_is_heavy_is_the_same_however_long_the_stretches_are(monkeypatch):
    sound = performance(np.arange(16) * 0.5)
    at_once, loudness = heaviness(sound, sound.frames // 480 + 2, 480)
    monkeypatch.setattr(beat_tracking, "STRETCH_FRAMES", 53)
    in_stretches, again = heaviness(sound, sound.frames // 480 + 2, 480)
    np.testing.assert_allclose(in_stretches, at_once, rtol=1e-9)
    whole = sound.read(0, sound.frames)
    assert loudness == pytest.approx(np.sqrt(np.mean(whole**2)), rel=1e-9)
    assert again == pytest.approx(loudness, rel=1e-9)


def test_the_low_end_after_a_beat_is_that_of_the_whole_recording_filtered():
    """scipy's filter over all of it: what sounds on from before a beat is no attack at the beat."""
    beats = np.array([0, 12_345, 70_001, 143_000])
    samples = 0.3 * np.sin(2 * np.pi * 70 * np.arange(3 * FS) / FS) + 0.1 * noise(3.0, seed=8)
    low = sosfilt(butter(2, 180, fs=FS, output="sos"), samples)
    window = round(0.12 * FS)

    def rms(of, at):
        return np.sqrt(np.mean(of[at : at + window] ** 2))

    found = beat_weights(MonoInMemory(samples, FS), beats)
    np.testing.assert_allclose(found, [rms(low, at) + 0.5 * rms(samples, at) for at in beats], rtol=1e-9)


def test_a_tapped_tempo_leads_it_to_half_the_beat():
    beat_s = np.arange(64) * 60 / 120
    assert find_pulse(performance(beat_s), near_bpm=60).bpm == pytest.approx(60, rel=0.01)


def test_a_map_over_a_drifting_performance_puts_bars_on_its_downbeats():
    """From 100 to 108 beats a minute over 80 beats: a steady click would be off by more than a beat at the end."""
    periods = 60 / np.linspace(100, 108, 80)
    beat_s = np.concatenate(([0.0], np.cumsum(periods)[:-1]))
    pulse = find_pulse(performance(beat_s))
    assert not pulse.steady
    tempo, placed = map_over(pulse, rate_hz=FS, bar_one_frame=100_000)
    assert len(tempo.tempos) > 2
    for bar in range(1, 19):
        heard = placed + round((0.7 + beat_s[4 * (bar - 1)]) * FS)
        assert abs(tempo.bar_frame(bar) - heard) < 0.012 * FS


def test_a_first_beat_that_was_dragged_moves_the_whole_row():
    pulse = find_pulse(performance(np.arange(32) * 0.5))
    moved = corrected(pulse, first_downbeat=pulse.first_downbeat + 4_000)
    assert moved.first_downbeat == pulse.first_downbeat + 4_000
    assert moved.beats == [beat + 4_000 for beat in pulse.beats]


def test_recordings_without_a_beat_are_refused():
    with pytest.raises(SignalError, match="too short"):
        find_pulse(MonoInMemory(noise(2.0), FS))
    with pytest.raises(SignalError, match="no tempo to find"):
        find_pulse(MonoInMemory(np.zeros(6 * FS), FS))


def test_noise_gives_no_confidence():
    try:
        pulse = find_pulse(MonoInMemory(0.1 * noise(12.0, seed=9), FS))
    except SignalError:
        return
    assert pulse.confidence < 0.35


def test_onsets_of_known_plucks_are_found_to_five_milliseconds():
    at_s = [0.3, 0.81, 1.02, 1.55, 2.3]
    signal = 1e-4 * noise(3.0, seed=4)
    for number, start_s in enumerate(at_s):
        start = round(start_s * FS)
        time_s = np.arange(len(signal) - start) / FS
        signal[start:] += 0.3 * np.sin(2 * np.pi * (110 + 37 * number) * time_s) * np.exp(-time_s / 0.15)
    found = find_onsets(MonoInMemory(signal, FS)) / FS
    assert len(found) == len(at_s)
    np.testing.assert_allclose(found, at_s, atol=0.005)


def test_taps_at_random_are_almost_never_taken_for_a_beat():
    """Of 100 rows of 12 taps strewn over six seconds."""
    taken = 0
    for seed in range(100):
        try:
            estimate_tempo(np.random.default_rng(seed).uniform(0, 6, 12))
            taken += 1
        except InvalidSetting:
            pass
    assert taken <= 3
