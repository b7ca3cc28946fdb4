"""A duplex device: what goes out and what comes in share one clock, whatever is played and however it is cut."""

import numpy as np
import pytest
from scipy.signal import correlate

from fatsignal.core.timing.latency import measure_round_trip, ping_train
from fatsignal.rig.cabled import CabledInterface
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.source import Duplex
from tests.signals import FS, noise


def device(*, block_frames=256, seconds=2.0, **settings) -> Duplex:
    return CabledInterface(
        rate_hz=FS, interface=SimulatedInterface(**settings), pace=RigClock(0), block_frames=block_frames,
        frames=round(seconds * FS), seed=7,
    )  # fmt: skip


def out(samples):
    return np.column_stack((samples, np.zeros(len(samples))))


def drained(source):
    blocks = []
    while (block := source.read_block()) is not None:
        blocks.append(block.samples[:, 0])
    return np.concatenate(blocks)


@pytest.mark.parametrize("extra", [0.0, 0.25, 1.6, 333.37])
def test_what_is_played_comes_back_after_the_round_trip_to_a_hundredth_of_a_sample(extra):
    cabled = device(extra_latency_frames=extra)
    cabled.play(out(ping_train(FS)), 0)
    found = measure_round_trip(drained(cabled), rate_hz=FS)
    assert found.frames == pytest.approx(2 * 256 + 63.4 + extra, abs=0.01)


def test_a_delay_of_whole_frames_gives_back_the_samples_themselves():
    cabled, sent = device(extra_latency_frames=0.6, seconds=1.0), noise(0.5, seed=3)
    cabled.play(out(sent), 100)
    heard = drained(cabled)
    late = 2 * 256 + 64 + 100
    np.testing.assert_allclose(heard[late : late + len(sent)], 0.8 * sent, atol=2e-4)
    assert np.abs(heard[:late]).max() < 2e-4


@pytest.mark.parametrize("block_frames", [32, 300, 4096])
def test_played_in_pieces_while_it_records_is_as_played_at_once(block_frames):
    sent = noise(1.0, seed=4)
    whole, pieces = device(block_frames=block_frames), device(block_frames=block_frames)
    whole.play(out(sent), 0)
    heard, at = [], 0
    while True:
        # A block ahead of what is read, as an engine does it.
        while at < len(sent) and at < (len(heard) + 2) * block_frames:
            pieces.play(out(sent[at : at + 111]), at)
            at += 111
        block = pieces.read_block()
        if block is None:
            break
        heard.append(block.samples[:, 0])
    np.testing.assert_allclose(np.concatenate(heard), drained(whole), atol=1e-12)


def test_what_comes_too_late_is_left_out_and_the_rest_keeps_its_place():
    cabled, sent = device(seconds=1.0), noise(0.25, seed=5)
    for _ in range(10):
        cabled.read_block()
    cabled.play(out(sent), 1_000)
    heard = drained(cabled)
    # The first that can still sound is frame 2560: 1560 frames of it are gone.
    where = int(np.argmax(correlate(heard, sent[1560:], mode="valid")))
    assert where == pytest.approx(2 * 256 + 63.4, abs=1)


@pytest.mark.parametrize("cut", [{"loop_cable": False}, {"broken_inputs": [1]}])
def test_without_a_cable_there_is_only_noise(cut):
    cabled = device(**cut)
    cabled.play(out(ping_train(FS)), 0)
    assert np.abs(drained(cabled)).max() < 2e-4
