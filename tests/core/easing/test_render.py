"""What an easing makes of a take, measured: attacks to the sample, pitch, spectrum, and channels that stay together.

The notes are sampled guitars and basses of Debian's `fluid-soundfont-gm`; pitches are read by librosa.
"""

import numpy as np
import pytest

from fatsignal.core.easing.easing import ATTACK_S, BEFORE_S, EasedStroke, Easing
from fatsignal.core.easing.render import eased
from fatsignal.core.easing.splices import stretched, tuned
from tests.reference.soundfont import GM, sampled_notes
from tests.signals import FS, plucks, sine

sampled = pytest.mark.skipif(not GM.exists(), reason="the sound font is not installed here")
NOTES = ["Jazz Guitar E3", "Jazz Guitar C4", "Picked Bass A1", "Fingered Bass D1", "Nylon Guitar E3", "Steel Guitar A3"]
THIRDS_HZ = 1000 * 2 ** (np.arange(-13, 10) / 3)


def line(rate_hz, spacing_s, count, sound):
    """Notes one after the other, each ending the one before; frames at which they begin."""
    starts = [round((each + 0.2) * spacing_s * rate_hz) for each in range(count)]
    out = np.zeros(starts[-1] + round(2 * spacing_s * rate_hz))
    for start in starts:
        length = min(len(sound), len(out) - start)
        out[start:] *= 0
        out[start : start + length] = sound[:length]
    return out, starts


def real_notes():
    by_name = {note.name: note for note in sampled_notes()} if GM.exists() else {}
    return [by_name[name] for name in NOTES if name in by_name]


def hz(signal: np.ndarray, rate_hz: int) -> float:
    from tests.reference.music_library import librosa

    found = librosa.yin(signal, fmin=25, fmax=1200, sr=rate_hz, frame_length=4096, hop_length=512)
    return float(np.median(found))


def thirds(signal: np.ndarray, rate_hz: int) -> np.ndarray:
    """Power in thirds of an octave, each a Butterworth band of order 3 (the prototype of ANSI S1.11, from memory): one
    with square edges jumps where a partial lies on an edge.
    """
    power = np.abs(np.fft.rfft(signal * np.hanning(len(signal)))) ** 2
    frequency_hz = np.fft.rfftfreq(len(signal), 1 / rate_hz)[1:]
    sharpness = 1 / (2 ** (1 / 6) - 2 ** (-1 / 6))
    bands = [
        (power[1:] / (1 + (sharpness * (frequency_hz / centre - centre / frequency_hz)) ** 6)).sum()
        for centre in THIRDS_HZ
        if centre < rate_hz / 2.5
    ]
    return np.array(bands) + 1e-20


@sampled
@pytest.mark.parametrize("note", real_notes(), ids=lambda note: note.name)
@pytest.mark.parametrize("by_s", [0.02, -0.03])
def test_sampled_strokes_lie_where_asked_and_ring_as_they_did(note, by_s):
    rate_hz, spacing_s = note.rate_hz, 0.5
    dry, starts = line(rate_hz, spacing_s, 5, note.samples())
    take = np.stack([dry, 0.3 * np.roll(dry, round(0.002 * rate_hz))])
    by = round(by_s * rate_hz)
    easing = Easing((EasedStroke(starts[1]), EasedStroke(starts[2], by), EasedStroke(starts[3])))
    span = slice(*easing.changes)
    sound = eased(take[:, span], easing, rate_hz=rate_hz)
    before, attack = round(BEFORE_S * rate_hz), round(ATTACK_S * rate_hz)
    # The stroke is where it was asked for, to the sample and in both channels.
    at = starts[2] - starts[1]
    np.testing.assert_array_equal(
        sound[:, at + by - before : at + by + attack], take[:, starts[2] - before : starts[2] + attack]
    )
    np.testing.assert_array_equal(sound[:, :attack], take[:, span][:, :attack])
    np.testing.assert_array_equal(sound[:, -before:], take[:, span][:, -before:])
    # What rings after it has its pitch, and its spectrum, in the bands within 20 dB of the loudest.
    longer = [sound[0, at + by + attack : -before], take[0, starts[2] + attack : starts[3] - before]]
    assert 1200 * np.log2(hz(longer[0], rate_hz) / hz(longer[1], rate_hz)) == pytest.approx(0, abs=2)
    ours, theirs = (thirds(each, rate_hz) / np.mean(each**2) for each in longer)
    loud = theirs > 1e-2 * theirs.max()
    lowest = THIRDS_HZ[: len(loud)] > hz(longer[1], rate_hz) / 2 ** (1 / 6)
    off_db = 10 * np.log10(ours / theirs / (len(longer[0]) / len(longer[1])) ** 2)[loud & lowest]
    assert np.abs(off_db - np.median(off_db)).max() < 1
    # The second channel still is the first, 2 ms later.
    lag = round(0.002 * rate_hz)
    apart = sound[1, lag + attack : -before] - 0.3 * sound[0, attack : -before - lag]
    assert np.sqrt(np.mean(apart**2)) < 0.2 * np.sqrt(np.mean(sound[1] ** 2))


@sampled
@pytest.mark.parametrize("note", real_notes(), ids=lambda note: note.name)
@pytest.mark.parametrize("cents", [-17.0, 30.0])
def test_a_sampled_note_is_tuned_by_so_many_cents(note, cents):
    rate_hz = note.rate_hz
    dry, starts = line(rate_hz, 0.8, 4, note.samples())
    easing = Easing((EasedStroke(starts[1], 0, cents), EasedStroke(starts[2])))
    span = slice(*easing.changes)
    sound = eased(dry[None, span], easing, rate_hz=rate_hz)
    attack = round(ATTACK_S * rate_hz)
    np.testing.assert_array_equal(sound[0, :attack], dry[span][:attack])
    # It goes over into the attack that follows without a step.
    before = round(BEFORE_S * rate_hz)
    np.testing.assert_array_equal(sound[0, -before:], dry[span][-before:])
    assert abs(sound[0, -before - 1] - dry[span][-before - 1]) < 1e-9
    rings = slice(2 * attack, -2 * attack)
    assert 1200 * np.log2(hz(sound[0, rings], rate_hz) / hz(dry[span][rings], rate_hz)) == pytest.approx(cents, abs=2)


def test_what_comes_later_altogether_keeps_its_attacks():
    take = np.stack([plucks(2.0), plucks(2.0, seed=5)])
    easing = Easing((EasedStroke(16_000), EasedStroke(32_000, 1_500), EasedStroke(48_000, 3_100)))
    out = eased(take[:, 16_000:48_000], easing, rate_hz=FS)
    assert out.shape == (2, 35_100)
    before, attack = round(BEFORE_S * FS), round(ATTACK_S * FS)
    np.testing.assert_array_equal(out[:, 17_500 - before : 17_500 + attack], take[:, 32_000 - before : 32_000 + attack])
    np.testing.assert_array_equal(out[:, -before:], take[:, 48_000 - before : 48_000])


def test_each_channel_counts_alike_however_loud_it_was_recorded():
    ring = np.stack([sine(110.0, seconds=0.5), sine(155.6, seconds=0.5)])
    loud = np.array([[1.0], [1e-3]])
    for frames in (20_000, 28_000):
        np.testing.assert_allclose(
            stretched(loud * ring, frames, rate_hz=FS), loud * stretched(ring, frames, rate_hz=FS), rtol=1e-6, atol=1e-9
        )


def test_what_would_lie_beyond_half_the_rate_goes_and_does_not_fold():
    high = sine(23_900.0, seconds=0.5)
    lost = tuned(high[None], 1000, 20_000, 100.0)[0]
    kept = tuned(sine(15_000.0, seconds=0.5)[None], 1000, 20_000, 100.0)[0]
    assert np.sqrt(np.mean(lost**2)) < 0.3 * np.sqrt(np.mean(kept**2))


def test_nothing_asked_gives_the_take_bit_for_bit():
    take = np.stack([plucks(2.0), plucks(2.0, seed=5)])
    easing = Easing((EasedStroke(100), EasedStroke(16_000), EasedStroke(32_000), EasedStroke(90_000)))
    np.testing.assert_array_equal(eased(take[:, 100:90_000], easing, rate_hz=FS), take[:, 100:90_000])


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("ratio", [0.6, 0.85, 0.97, 1.03, 1.2, 1.8])
def test_a_steady_tone_stays_one_without_clicks(rate_hz, ratio):
    tone = sine(110.3, seconds=0.6, rate_hz=rate_hz) + 0.3 * sine(331.5, seconds=0.6, rate_hz=rate_hz)
    out = stretched(tone[None], round(ratio * tone.size), rate_hz=rate_hz)[0]
    assert out.size == round(ratio * tone.size)
    assert (out[0], out[-1]) == (tone[0], tone[-1])
    # No step is larger than those of the tone, and its level stays.
    assert np.abs(np.diff(out)).max() < 1.1 * np.abs(np.diff(tone)).max()
    window = round(0.03 * rate_hz)
    level = np.sqrt(np.convolve(out**2, np.ones(window) / window, "valid"))
    assert 20 * np.log10(level.min() / np.sqrt(np.mean(tone**2))) > -2.5
    assert 20 * np.log10(level.max() / np.sqrt(np.mean(tone**2))) < 2.5


@pytest.mark.parametrize("frames", [1, 3, 40, 900])
@pytest.mark.parametrize("given", [1, 5, 60, 1000])
def test_the_shortest_rings_have_the_length_that_was_asked(given, frames):
    ring = plucks(1.0)[None, :given]
    out = stretched(ring, frames, rate_hz=FS)
    assert out.shape == (1, frames)
    assert np.isfinite(out).all()
    assert np.abs(out).max() <= 1.5 * np.abs(ring).max()


def test_silence_is_stretched_to_silence():
    assert not stretched(np.zeros((2, 9000)), 12_000, rate_hz=FS).any()


def test_read_faster_a_tone_is_higher_and_as_loud():
    tone = sine(1000.0, seconds=1.0)
    out = tuned(tone[None], 1000, 41_000, 50.0)[0]
    assert out.size == round(40_000 / 2 ** (50 / 1200))
    meant = np.sin(2 * np.pi * 1000 * (1000 + 2 ** (50 / 1200) * np.arange(out.size)) / FS)
    assert np.abs(out - meant).max() < 1e-4
