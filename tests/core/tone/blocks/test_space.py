"""Echoes and reverbs: closed forms, Schroeder's integration, what a coil does."""

from itertools import pairwise

import numpy as np
import pytest
from scipy.signal import butter, hilbert, sosfilt

from fatsignal.core.tone.blocks import Echo, Reverb, Spring
from fatsignal.core.tone.blocks.block import Operating
from tests.signals import FS, plucks, sine


def run(block, *signals, at=None):
    for step in block.steps(at or Operating(FS), len(signals)):
        signals = step.process(signals)
    return signals[0] if len(signals) == 1 else np.column_stack(signals)


def click(seconds):
    out = np.zeros(round(seconds * FS))
    out[0] = 1.0
    return out


def reverberation_s(response, *, low_hz, high_hz):
    """Schroeder 1965: the integral from behind of the squared response; T from −5 to −35 dB, told as 60."""
    band = sosfilt(butter(4, (low_hz, high_hz), "bandpass", fs=FS, output="sos"), response)
    energy = np.cumsum(band[::-1] ** 2)[::-1]
    db = 10 * np.log10(energy / energy[0] + 1e-30)
    first, last = np.flatnonzero(db < -5)[0], np.flatnonzero(db < -35)[0]
    slope = np.polyfit(np.arange(first, last), db[first:last], 1)[0]
    return -60 / slope / FS


def test_echoes_come_when_and_as_loud_as_the_comb_says():
    """m, m f, m f² … at d, 2 d, 3 d …: closed form; the cuts take a little off each time."""
    out = run(Echo(time_ms=100, feedback=50, mix=40, low_cut_hz=20, high_cut_hz=20_000), click(1.0))
    assert out[0] == pytest.approx(1.0)
    powers = []
    for number in range(1, 6):
        around = slice(number * FS // 10 - 40, number * FS // 10 + 400)
        powers.append(np.sqrt(np.sum(out[around] ** 2)))
        assert abs(np.argmax(np.abs(out[around])) - 40) <= 1
    ratios = np.array(powers[1:]) / np.array(powers[:-1])
    np.testing.assert_allclose(ratios, 0.5, atol=0.06)
    between = out[FS // 20 : FS // 10 - 100]
    assert not between.any()


def test_its_time_can_be_a_note_value_of_the_song():
    out = run(Echo(note="1/8.", mix=50), click(2.0), at=Operating(FS, quarter_s=60 / 104))
    assert np.argmax(np.abs(out[100:])) + 100 == pytest.approx(0.75 * 60 / 104 * FS, abs=2)


def test_worn_echoes_lose_highs_with_every_turn_and_waver():
    clean, worn = (run(Echo(worn=worn, feedback=60, mix=100), click(3.0)) for worn in (0, 100))

    def brightness(signal, number):
        piece = signal[round((0.38 * number - 0.05) * FS) :][: FS // 5]
        spectrum = np.abs(np.fft.rfft(piece)) ** 2
        hz = np.fft.rfftfreq(len(piece), 1 / FS)
        return spectrum[hz > 3000].sum() / spectrum.sum()

    assert brightness(worn, 1) < 0.6 * brightness(clean, 1)
    assert brightness(worn, 3) < brightness(worn, 1)
    soft = 0.01 * sine(1000.0, seconds=4.0)
    steady = run(Echo(worn=100, feedback=0, mix=100), soft) - soft
    phase = np.unwrap(np.angle(hilbert(steady)))
    drift = np.diff(phase[FS:-FS]) * FS / (2 * np.pi)
    assert 2 < np.ptp(drift) < 40


def test_by_turns_left_and_right_answer_each_other():
    out = run(Echo(wide=True, time_ms=100, feedback=50, mix=50), click(1.0))
    loudest = [np.abs(out[number * FS // 10 - 50 : number * FS // 10 + 300]).max(axis=0) for number in range(1, 5)]
    for number, (left, right) in enumerate(loudest):
        assert (left > 3 * right) == (number % 2 == 0)
    # At 2 kHz, where little is cut off, each is the feedback's share of the one before (closed form: mix · feedbackⁿ).
    out = run(Echo(wide=True, time_ms=100, feedback=50, mix=50, high_cut_hz=16_000, low_cut_hz=20), click(1.0))
    turn = np.exp(-2j * np.pi * 2000 * np.arange(350) / FS)
    heights = [np.abs(turn @ out[number * FS // 10 - 50 : number * FS // 10 + 300]).sum() for number in range(1, 5)]
    for one, following in pairwise(heights):
        assert following / one == pytest.approx(0.5, rel=0.05)


def test_echoes_die_away_even_at_their_longest():
    out = run(Echo(feedback=95, mix=100, time_ms=50), plucks(0.6), at=None)
    assert np.isfinite(out).all()
    longer = run(Echo(feedback=95, worn=60, mix=100, time_ms=30), np.concatenate((plucks(0.6), np.zeros(4 * FS))))
    assert np.abs(longer[-FS:]).max() < np.abs(longer[: 2 * FS]).max()


@pytest.mark.parametrize("space", ["plate", "hall"])
@pytest.mark.parametrize("decay_s", [0.6, 1.6, 4.0])
def test_the_reverberation_time_is_the_one_that_is_set(space, decay_s):
    """Schroeder's integration in the octave around 500 Hz, below where the highs die sooner."""
    out = run(
        Reverb(space=space, decay_s=decay_s, mix=100, highs_hz=16_000, pre_delay_ms=0), click(1.5 * decay_s + 0.5)
    )
    for side in range(2):
        found = reverberation_s(out[100:, side], low_hz=354, high_hz=707)
        assert found == pytest.approx(decay_s, rel=0.1)


def test_highs_die_sooner_than_lows():
    out = run(Reverb(decay_s=3, highs_hz=2000, mix=100), click(4.0))[:, 0]
    assert reverberation_s(out, low_hz=4000, high_hz=8000) < 0.6 * reverberation_s(out, low_hz=250, high_hz=500)


def test_a_reverb_is_dense_and_its_sides_are_strangers():
    """Echo density after Abel and Huang 2006: the share of samples beyond one deviation nears that of noise, 0.317."""
    out = run(Reverb(space="plate", decay_s=2, mix=100, pre_delay_ms=0), click(1.0))
    late = out[round(0.25 * FS) : round(0.45 * FS)]
    for side in range(2):
        assert np.mean(np.abs(late[:, side]) > np.std(late[:, side])) == pytest.approx(0.317, abs=0.06)
    assert abs(np.corrcoef(late.T)[0, 1]) < 0.2


def test_what_goes_in_comes_out_with_its_room_added():
    di = plucks(1.0)
    out = run(Reverb(mix=0), di)
    np.testing.assert_allclose(out, np.column_stack((di, di)), atol=1e-12)
    late = run(Reverb(mix=100, pre_delay_ms=50), click(0.3))
    assert not late[1 : round(0.05 * FS)].any()


def test_a_coil_chirps_as_the_paper_says():
    """Välimäki, Parker, Abel 2010: up to the transition frequency the higher a frequency the later it arrives."""
    out = run(Spring(coils=1, mix=100, decay_s=3), click(0.3))
    arrivals = []
    for hz in (600, 1500, 2600, 3400):
        band = sosfilt(butter(2, (hz - 200, hz + 200), "bandpass", fs=FS, output="sos"), out[1:])
        arrivals.append(np.argmax(np.abs(band[: round(0.05 * FS)])) / FS)
    assert arrivals == sorted(arrivals)
    assert arrivals[-1] > arrivals[0] + 0.004
    spectrum = np.abs(np.fft.rfft(out[1:])) ** 2
    frequency_hz = np.fft.rfftfreq(len(out) - 1, 1 / FS)
    assert spectrum[frequency_hz > 7000].sum() < 0.05 * spectrum.sum()


def test_a_springs_decay_is_near_the_one_that_is_set():
    out = run(Spring(coils=3, mix=100, decay_s=1.5), click(3.0))
    assert reverberation_s(out[1:], low_hz=500, high_hz=1000) == pytest.approx(1.5, rel=0.3)


@pytest.mark.parametrize("block", [Echo(feedback=50), Reverb(decay_s=0.4), Spring(decay_s=0.4)], ids=lambda b: b.kind)
def test_after_the_tail_there_is_exact_silence(block):
    out = run(block, np.concatenate((plucks(0.6), np.zeros(20 * FS))))
    assert not out[-FS // 10 :].any()
