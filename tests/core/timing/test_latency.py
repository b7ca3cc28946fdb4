"""The round trip: known delays put between ping and return, and the arithmetic of buffers."""

import numpy as np
import pytest
from scipy.signal import chirp

from fatsignal.core.timing.buffers import buffer_table, feel_of
from fatsignal.core.timing.latency import measure_round_trip, ping, ping_train
from fatsignal.errors import SignalError
from tests.signals import FS, delayed, noise


def returned(frames, *, level=0.5, hiss=1e-4, rate_hz=FS):
    sent = np.concatenate((ping_train(rate_hz), np.zeros(rate_hz // 2)))
    return level * delayed(sent, frames) + hiss * noise(len(sent) / rate_hz, seed=2, rate_hz=rate_hz)[: len(sent)]


@pytest.mark.parametrize("frames", [0.0, 31.25, 575.4, 2111.77, 9600.5])
@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 192_000])
def test_a_known_delay_is_found_to_a_hundredth_of_a_sample(frames, rate_hz):
    found = measure_round_trip(returned(frames, rate_hz=rate_hz), rate_hz=rate_hz)
    assert found.frames == pytest.approx(frames, abs=0.01)
    assert found.spread_frames < 0.02
    assert found.pings == 6


def test_polarity_level_and_a_noisy_room_do_not_matter():
    heard = -0.02 * returned(575.4, hiss=0) + 2e-3 * noise(2.0, seed=5)
    found = measure_round_trip(heard, rate_hz=FS)
    assert found.frames == pytest.approx(575.4, abs=0.2)


def test_what_is_left_after_the_offset_is_within_a_sample_and_may_be_early():
    heard = returned(575.6)
    assert measure_round_trip(heard[576:], rate_hz=FS).frames == pytest.approx(-0.4, abs=0.02)


def test_without_a_cable_it_says_what_to_do():
    with pytest.raises(SignalError, match="connect the output to the input"):
        measure_round_trip(1e-3 * noise(2.0), rate_hz=FS)
    with pytest.raises(SignalError, match="0 of 6 pings"):
        measure_round_trip(np.zeros(100), rate_hz=FS)


def test_pings_that_disagree_are_said():
    heard = returned(400.0)
    quarter = FS // 4
    for number in range(6):
        piece = heard[number * quarter : (number + 1) * quarter].copy()
        heard[number * quarter : (number + 1) * quarter] = np.roll(piece, (number % 2) * 3000)
    with pytest.raises(SignalError, match="came back between"):
        measure_round_trip(heard, rate_hz=FS)


def test_buffer_arithmetic():
    """A buffer of N frames takes N/rate on each way: 384 at 48 kHz are 8 ms, 256 at 44.1 kHz 5.805 ms."""
    rows = {
        row.buffer_frames: row
        for row in buffer_table(575.4, at_buffer_frames=256, rate_hz=48_000, sizes=(64, 256, 384))
    }
    assert rows[384].buffer_ms == pytest.approx(8.0)
    assert rows[256].round_trip_ms == pytest.approx(11.9875)
    assert rows[64].round_trip_ms == pytest.approx(1000 * (63.4 + 128) / 48_000)
    (row,) = buffer_table(512, at_buffer_frames=256, rate_hz=44_100, sizes=(256,))
    assert row.buffer_ms == pytest.approx(5.805, abs=1e-3)


def test_words_for_delays():
    """Common practice, no source: 8 ms is comfortable, 16 ms is felt, 56 ms is unplayable."""
    assert [feel_of(ms) for ms in (8, 16, 56)] == ["comfortable", "felt", "unplayable"]


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
def test_a_ping_is_the_sweep_of_a_reference_library(rate_hz):
    """Against `scipy.signal.chirp`, logarithmic, between its fades."""
    one = ping(rate_hz)
    frames, fade = len(one), len(one) // 8
    sweep = chirp(np.arange(frames) / rate_hz, 200.0, 0.02, 0.4 * rate_hz, method="logarithmic")
    np.testing.assert_allclose(one[fade:-fade], 0.5 * sweep[fade:-fade], atol=1e-9)
    assert abs(one[0]) < 1e-6
    assert abs(one[-1]) < 1e-4
