"""What colours: against closed forms and scipy's own filters."""

import numpy as np
import pytest
from scipy.signal import freqz, hilbert

from fatsignal.core.tone.blocks import Chorus, Flanger, Phaser, TenBands, Tremolo, Wah
from fatsignal.core.tone.blocks.block import Operating
from fatsignal.core.tone.blocks.modulated import QUARTERS, note_s
from fatsignal.core.tone.blocks.ten_bands import CENTRES_HZ
from tests.signals import FS, plucks, sine

HZ = np.geomspace(60, 12_000, 200)


def run(block, signal, at=None):
    signals = (signal,)
    for step in block.steps(at or Operating(FS), 1):
        signals = step.process(signals)
    return signals[0] if len(signals) == 1 else np.column_stack(signals)


def response(block, seconds=1.0):
    """What a click becomes, over frequency."""
    click = np.zeros(round(seconds * FS))
    click[0] = 1.0
    out = run(block, click)
    return np.fft.rfft(out), np.fft.rfftfreq(len(out), 1 / FS)


def db_at(spectrum, hz, wanted_hz):
    return np.interp(wanted_hz, hz, 20 * np.log10(np.abs(spectrum) + 1e-12))


def test_ten_bands_are_the_cookbooks_peaks_an_octave_apart():
    """One band up: against scipy's freqz of the cookbook's coefficients, written anew."""
    a, q = 10 ** (9 / 40), 1.414
    w = 2 * np.pi * 1000 / FS
    alpha = np.sin(w) / (2 * q)
    b_coefficients = [1 + alpha * a, -2 * np.cos(w), 1 - alpha * a]
    a_coefficients = [1 + alpha / a, -2 * np.cos(w), 1 - alpha / a]
    expected = 20 * np.log10(np.abs(freqz(b_coefficients, a_coefficients, HZ, fs=FS)[1]))
    found = db_at(*response(TenBands(band_1k_db=9)), HZ)
    np.testing.assert_allclose(found, expected, atol=0.02)
    np.testing.assert_allclose(np.diff(np.log2(CENTRES_HZ)), 1.0, atol=0.02)
    np.testing.assert_allclose(db_at(*response(TenBands()), HZ), 0, atol=1e-9)


def test_a_wah_that_stands_is_the_resonance_of_its_circuit():
    """(s + 0.12)/(s² + s/Q + 1) in closed form, at the place between both ends that the hand is at."""
    block = Wah(moved_by="hand", position=5, low_hz=400, high_hz=1600, q=5)
    s = 1j * HZ / 800
    expected = 20 * np.log10(np.abs((s + 0.12) / (s**2 + s / 5 + 1)))
    near = HZ < 4500
    np.testing.assert_allclose(db_at(*response(block), HZ)[near], expected[near], atol=0.35)
    drawn = block.curve()
    np.testing.assert_allclose(np.interp(HZ, drawn.x, drawn.y), expected, atol=0.7)


def test_a_wah_opens_with_hard_playing_and_turns_with_time():
    centre = []
    for level in (0.003, 0.3):
        out = run(Wah(moved_by="playing", q=8), level * plucks(1.0))
        spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
        hz = np.fft.rfftfreq(len(out), 1 / FS)
        inside = (hz > 300) & (hz < 2500)
        centre.append(np.sum(hz[inside] * spectrum[inside] ** 2) / np.sum(spectrum[inside] ** 2))
    assert centre[1] > 1.3 * centre[0]
    turning = run(Wah(moved_by="time", rate_hz=2, low_hz=300, high_hz=3000), sine(900.0, seconds=2.0))
    swing = np.abs(hilbert(turning))[FS // 4 : -FS // 4]
    assert swing.max() / swing.min() > 3


def test_a_phaser_that_stands_has_its_notches_where_the_allpasses_say():
    """Smith, "Phasing with first-order allpass filters": 2 M allpasses have M notches, each where the phase of one is
    an odd multiple of 180°/2M; in closed form."""
    block = Phaser(stages="4", low_hz=800, high_hz=801, feedback=0, mix=50)
    # 4 · 2 · atan(f/fc) = 180° and 540°.
    for turn in (np.tan(np.pi / 8), np.tan(3 * np.pi / 8)):
        assert db_at(*response(block), np.array([800 * turn]))[0] < -25
    assert db_at(*response(block), np.array([800.0]))[0] == pytest.approx(0, abs=0.1)


def test_a_flanger_that_stands_is_a_comb():
    """(1 − s) + s z^-d/(1 − f z^-d) in closed form."""
    block = Flanger(nearest_ms=2, depth_ms=0, feedback=50, mix=50)
    turn = np.exp(-2j * np.pi * HZ * 0.002)
    expected = 20 * np.log10(np.abs(0.5 + 0.5 * turn / (1 - 0.5 * turn)))
    deep = expected > -20
    np.testing.assert_allclose(db_at(*response(block), HZ)[deep], expected[deep], atol=0.6)


def test_a_vibrato_bends_as_far_as_its_depth_says():
    """The slope of the delay is the bend: 2π · rate · depth/2."""
    block = Chorus(mix=100, rate_hz=5, depth_ms=2, delay_ms=10)
    out = run(block, sine(1000.0, seconds=2.0))
    phase = np.unwrap(np.angle(hilbert(out)))[FS // 4 : -FS // 4]
    bend = np.diff(phase) * FS / (2 * np.pi) / 1000 - 1
    expected = 2 * np.pi * 5 * 0.002 / 2
    assert bend.max() == pytest.approx(expected, rel=0.05)
    assert bend.min() == pytest.approx(-expected, rel=0.05)


def test_a_wide_chorus_has_two_sides_that_are_not_one():
    out = run(Chorus(wide=True), plucks(2.0))
    assert out.shape[1] == 2
    assert np.corrcoef(out[FS:, 0], out[FS:, 1])[0, 1] < 0.98


@pytest.mark.parametrize("shape", ["round", "square"])
def test_tremolo_swings_by_its_depth_at_its_rate(shape):
    out = run(Tremolo(rate_hz=4, depth=50, shape=shape), np.ones(2 * FS))
    assert out.max() == pytest.approx(1.0, abs=1e-6)
    assert out.min() == pytest.approx(0.5, abs=1e-3)
    spectrum = np.abs(np.fft.rfft(out - out.mean()))
    assert np.argmax(spectrum) / 2 == pytest.approx(4)
    # No step that clicks: an edge takes more than two milliseconds.
    assert np.abs(np.diff(out)).max() < 0.5 / (0.002 * FS)


def test_its_period_can_be_a_note_value_of_the_song():
    out = run(Tremolo(note="1/8", depth=100), np.ones(2 * FS), Operating(FS, quarter_s=0.6))
    spectrum = np.abs(np.fft.rfft(out - out.mean()))
    assert np.argmax(spectrum) / 2 == pytest.approx(1 / 0.3, abs=0.5)


def test_note_values_are_those_of_music():
    """Arithmetic: a dot adds half of the value, three of a triplet take the time of two."""
    assert note_s("1/4", 0, 0.5) == 0.5
    assert note_s("1/8.", 0, 0.5) == 0.375
    assert QUARTERS["1/4."] == 1.5 * QUARTERS["1/4"]
    assert 3 * QUARTERS["1/8t"] == pytest.approx(2 * QUARTERS["1/8"])
    assert note_s("ms", 250, 0.5) == 0.25


def test_a_wide_tremolo_keeps_the_power_where_it_swings_from_side_to_side():
    out = run(Tremolo(wide=True, depth=100, rate_hz=3), np.ones(FS))
    np.testing.assert_allclose(out.sum(axis=1), 1.0, atol=1e-9)
