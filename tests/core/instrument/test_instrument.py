import itertools
import math
from fractions import Fraction

import numpy as np
import pytest

from fatsignal.core.instrument.converter import ConverterRunner
from fatsignal.core.instrument.instruments import INSTRUMENTS
from fatsignal.core.instrument.mains import MainsRunner
from fatsignal.core.instrument.pickup import Load, Pickup, resonance_hz, response_db
from fatsignal.core.instrument.pickup_filter import pickup_filter
from fatsignal.core.instrument.player import Hand, Note, perform
from fatsignal.core.instrument.plucked_string import StringRunner, StringShape
from fatsignal.core.instrument.string_event import StringEvent
from fatsignal.core.timing.tempo import TempoMap
from fatsignal.core.units import cents_between, equal_tempered_hz
from tests.reference import spice
from tests.signals import FS, sine


def pluck(frequency_hz, *, force=0.8, seconds=2.0, decay_s=6.0, rate_hz=FS):
    event = StringEvent(0, frequency_hz, force, decay_s, 0.62, True)
    runner = StringRunner(StringShape(open_hz=min(frequency_hz, 329.6)), [event], rate_hz=rate_hz, seed=1)
    return runner.process(round(seconds * rate_hz))


def fundamental_hz(signal, near_hz, rate_hz=FS):
    """Peak of the spectrum near the expected pitch, by a parabola through its logarithm."""
    segment = signal[len(signal) // 8 : len(signal) // 8 + rate_hz]
    spectrum = np.abs(np.fft.rfft(segment * np.hanning(len(segment)), 8 * len(segment)))
    frequency_hz = np.fft.rfftfreq(8 * len(segment), 1 / rate_hz)
    at = np.argmax(spectrum * (np.abs(frequency_hz / near_hz - 1) < 0.03))
    left, middle, right = np.log(spectrum[at - 1 : at + 2])
    return (at + 0.5 * (left - right) / (left - 2 * middle + right)) * frequency_hz[1]


# ISO 16 and equal temperament; from memory, recomputed by formula below.
OPEN_STRINGS = {
    28: 41.203, 33: 55.0, 38: 73.416, 43: 97.999, 23: 30.868,
    40: 82.407, 45: 110.0, 50: 146.832, 55: 195.998, 59: 246.942, 64: 329.628,
}  # fmt: skip


@pytest.mark.parametrize(("note", "expected_hz"), sorted(OPEN_STRINGS.items()))
def test_open_strings_sound_at_their_pitch(note, expected_hz):
    assert equal_tempered_hz(note) == pytest.approx(expected_hz, abs=6e-4)
    found = fundamental_hz(pluck(expected_hz), expected_hz)
    assert abs(cents_between(expected_hz, found)) < 0.3


@pytest.mark.parametrize("note", [35, 40, 47, 52, 59, 71])
def test_a_reference_pitch_tracker_hears_the_same_note(note):
    """librosa's pyin on a grid of 10 cents; a stiff string's sharp partials pull it up by some cents."""
    from tests.reference.music_library import librosa

    expected_hz = equal_tempered_hz(note)
    heard, voiced, _ = librosa.pyin(
        pluck(expected_hz)[:FS], fmin=25, fmax=700, sr=FS, frame_length=8192, resolution=0.1
    )
    assert voiced.mean() > 0.8
    assert abs(cents_between(expected_hz, float(np.nanmedian(heard)))) < 20


def test_partials_of_a_stiff_string_lie_sharp():
    """f_n = n·f0·sqrt(1 + B·n²) (Fletcher 1964), B = 1e-4: the tenth partial is 8.5 cents above ten times the first."""
    f0 = 82.407
    signal = pluck(f0)
    first, tenth = fundamental_hz(signal, f0), fundamental_hz(signal, 10 * f0)
    expected = cents_between(1.0, math.sqrt((1 + 1e-4 * 100) / (1 + 1e-4)))
    assert expected == pytest.approx(8.53, abs=0.02)
    assert cents_between(10 * first, tenth) == pytest.approx(expected, abs=0.5)


def test_harder_is_louder_and_brighter_and_notes_decay_as_told():
    soft, hard = pluck(110.0, force=0.3), pluck(110.0, force=0.9)
    assert np.abs(hard).max() > 2 * np.abs(soft).max()

    def centroid(signal):
        power = np.abs(np.fft.rfft(signal[: FS // 4])) ** 2
        return np.sum(power * np.arange(len(power))) / np.sum(power)

    assert centroid(hard) > 1.1 * centroid(soft)
    note = pluck(110.0, seconds=4.0, decay_s=3.0)
    levels = [
        20 * np.log10(np.abs(np.dot(note[s : s + FS // 2], np.exp(-2j * np.pi * 110 * np.arange(FS // 2) / FS))))
        for s in (FS, 2 * FS)
    ]
    # 60 dB in three seconds is 20 dB a second, for the fundamental.
    assert levels[0] - levels[1] == pytest.approx(20.0, abs=1.0)


def test_string_blocks_of_any_size_give_the_same_samples():
    events = [StringEvent(100, 110.0, 0.7, 4.0, 0.6, True), StringEvent(5000, 110.0, 0.0, 0.05, 0.3, False)]
    whole = StringRunner(StringShape(), events, rate_hz=FS, seed=4).process(9000)
    runner = StringRunner(StringShape(), events, rate_hz=FS, seed=4)
    np.testing.assert_array_equal(np.concatenate([runner.process(n) for n in (1, 99, 32, 4868, 4000)]), whole)


def test_pickup_resonance_by_formula():
    """1/(2π·sqrt(L·C)): 2.5 H with 120 pF and 500 pF of cable resonate near 4042 Hz."""
    assert 1 / (2 * math.pi * math.sqrt(2.5 * 620e-12)) == pytest.approx(4042.6, abs=0.5)
    assert resonance_hz(Pickup(), Load()) == pytest.approx(4042.6, rel=0.004)


@pytest.mark.parametrize("input_ohm", [1e6, 220e3, 10e3])
def test_loaded_pickup_agrees_with_a_circuit_simulator(tmp_path, input_ohm):
    """ngspice, small-signal; and a line input of 10 kΩ takes the resonance away."""
    deck = f"""pickup
Vin a 0 AC 1
R1 a b 6000
L1 b c 2.5
C1 c 0 120p
C2 c 0 500p
R2 c 0 {input_ohm}
.ac dec 40 50 20k
.end
"""
    truth = spice.run(deck, analysis="ac", vector="vdb(c)", folder=tmp_path)
    ours = response_db(Pickup(), Load(input_ohm=input_ohm), truth[:, 0])
    np.testing.assert_allclose(ours, truth[:, 1], atol=0.01)
    resonates = {1e6: True, 10e3: False}.get(input_ohm)
    if resonates is not None:
        assert (ours.max() > 10) == resonates


def test_the_running_pickup_filter_keeps_its_resonance():
    runner = pickup_filter(Pickup(), Load(), FS)
    impulse = np.zeros(1 << 15)
    impulse[0] = 1.0
    spectrum = np.abs(np.fft.rfft(runner.process(impulse)))
    a2, a1, a0 = 2.5 * 620e-12, 6000 * 620e-12 + 2.5 / 1e6, 1.006
    damped = math.sqrt(a0 / a2 - a1**2 / (2 * a2**2)) / (2 * math.pi)
    assert np.argmax(spectrum) * FS / (1 << 15) == pytest.approx(damped, rel=0.03)


def test_the_converter_clips_flat_has_its_noise_and_lets_nothing_through_a_broken_cable():
    rest = ConverterRunner(noise_dbfs=-90.0, seed=1).process(np.zeros(4 * FS))
    assert 20 * np.log10(rest.std()) == pytest.approx(-90.0, abs=0.1)
    loud = ConverterRunner(noise_dbfs=-110.0, seed=1).process(1.5 * sine(100.0))
    assert loud.max() == (2**23 - 1) / 2**23
    assert loud.min() == -1.0
    broken = ConverterRunner(noise_dbfs=-110.0, seed=1, broken=True).process(0.5 * sine(100.0))
    assert 20 * np.log10(np.abs(broken).max()) < -70


@pytest.mark.parametrize("mains_hz", [50.0, 60.0])
def test_hum_and_buzz_have_the_level_that_they_are_given(mains_hz):
    hum = MainsRunner(mains_hz, hum_v=0.01, buzz_v=0.0, rate_hz=FS).process(FS)
    assert np.sqrt(np.mean(hum**2)) == pytest.approx(0.01, rel=1e-6)
    buzz = MainsRunner(mains_hz, hum_v=0.0, buzz_v=0.01, rate_hz=FS).process(FS)
    assert np.sqrt(np.mean(buzz**2)) == pytest.approx(0.01, rel=1e-6)
    spectrum = np.abs(np.fft.rfft(hum))
    assert np.argmax(spectrum) == round(mains_hz)


def written():
    return [Note(Fraction(beat), Fraction(1), beat % 4, 2, 0.7) for beat in range(64)]


def play(seed, hand=None):
    tempo = TempoMap.steady(104, rate_hz=FS)
    return perform(
        written(), instrument=INSTRUMENTS["six-string guitar"], tempo=tempo, from_frame=tempo.bar_frame(1),
        to_frame=tempo.bar_frame(17), seed=seed, hand=hand,
    )  # fmt: skip


def test_a_seed_is_a_pass_and_another_seed_another_pass():
    assert play(1) == play(1)
    assert play(1) != play(2)


def test_passes_wander_about_the_click_by_as_much_as_the_hand_does():
    tempo = TempoMap.steady(104, rate_hz=FS)
    hand = Hand(late_chance=0, missed_chance=0, fluffed_chance=0)
    off_s = []
    for seed in range(20):
        starts = sorted(event.frame for string in play(seed, hand) for event in string if event.pluck)
        written_at = [tempo.quarter_frame(beat) - tempo.bar_frame(1) for beat in range(64)]
        off_s += [(a - b) / FS for a, b in zip(starts, written_at, strict=True)]
    # An autoregressive hand: spread sigma/sqrt(1 − 0.8²) = 10 ms for 6 ms.
    assert np.std(off_s) == pytest.approx(0.010, rel=0.2)
    assert abs(np.mean(off_s)) < 0.003


def test_now_and_then_a_note_is_missing_or_fluffed():
    hand = Hand(missed_chance=0.1, fluffed_chance=0.1)
    events = [event for seed in range(10) for string in play(seed, hand) for event in string if event.pluck]
    assert 0.85 * 640 < len(events) < 0.95 * 640
    fluffed = sum(1 for event in events if event.decay_s < 0.1)
    assert 0.06 * 640 < fluffed < 0.15 * 640


def test_a_hand_that_is_ahead_of_the_click_does_not_stop_its_own_next_note():
    """Eighths that follow each other on one string: each rings until the next, however early that comes."""
    tempo = TempoMap.steady(104, rate_hz=FS)
    eighths = [Note(Fraction(number, 2), Fraction(1, 2), 0, 0, 0.8) for number in range(64)]
    hasty = Hand(timing_s=0.02, late_chance=0.0, fluffed_chance=0.0, missed_chance=0.0)
    events = perform(
        eighths, instrument=INSTRUMENTS["baritone guitar"], tempo=tempo, from_frame=tempo.bar_frame(1),
        to_frame=tempo.bar_frame(9), seed=3, hand=hasty,
    )[0]  # fmt: skip
    strokes = [event.frame for event in events if event.pluck]
    written = [tempo.quarter_frame(note.beat) - tempo.bar_frame(1) for note in eighths]
    assert len(strokes) == 64
    assert any(stroke < place for stroke, place in zip(strokes, written, strict=True))
    for event, following in itertools.pairwise(events):
        if event.pluck:
            # It is never stopped right after a stroke.
            assert following.frame - event.frame >= 200
        elif not following.pluck:
            assert following.frame - event.frame >= 200
        else:
            # Just before it is struck again the pick lies on it, and not for longer than 8 ms.
            assert following.frame - event.frame <= 0.008 * FS + 1
