"""A duplex device: what goes out and what comes in share one clock, whatever is played and however it is cut."""

import numpy as np
import pytest
from scipy.signal import correlate

from fatsignal.core.timing.latency import measure_round_trip, ping_train
from fatsignal.rig.cabled import CabledInterface
from fatsignal.rig.delayed_source import DelayedSource
from fatsignal.rig.interface import OUTPUTS, SimulatedInterface
from fatsignal.rig.multi_rig import MultiRigSource
from fatsignal.rig.outputs import OutputQueue
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance, SimulatedRig
from fatsignal.rig.source import Source
from tests.engine.sources import TEMPO
from tests.signals import FS, noise


def device(*, block_frames=256, seconds=2.0, **settings) -> Source:
    return CabledInterface(
        rate_hz=FS, interface=SimulatedInterface(**settings), pace=RigClock(0), block_frames=block_frames,
        frames=round(seconds * FS), seed=7,
    )  # fmt: skip


def out(samples):
    return np.column_stack((samples, np.zeros((len(samples), OUTPUTS - 1))))


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


def test_several_who_play_on_one_device_sound_together_and_what_comes_too_late_is_left_out():
    queue = OutputQueue(2)
    queue.play(np.full((4, 2), 1.0), 2)
    queue.play(np.full((4, 2), 10.0), 4)
    np.testing.assert_array_equal(queue.take(5)[:, 0], [0, 0, 1, 1, 11])
    # The clock is at 5: of what should have begun at 3 the first two frames are gone.
    queue.play(np.full((4, 2), 100.0), 3)
    np.testing.assert_array_equal(queue.take(5)[:, 1], [111, 110, 10, 0, 0])
    assert queue.take(0).shape == (0, 2)


def test_the_rig_of_a_roll_is_a_device_with_outputs_and_its_round_trip_moves_both_ways():
    """What is played on the delayed rig sounds when the device's clock is there, as on the device itself."""

    class Heard(MultiRigSource):
        def __init__(self, *given, **more):
            self.heard = []
            super().__init__(*given, **more)

        def sound(self, samples):
            self.heard.append(samples)

    interface = SimulatedInterface(buffer_frames=64)
    rig = SimulatedRig(RigSetup(mics=[]), Performance([], TEMPO, 0, FS, 1), pace=RigClock(0))
    device = Heard([rig], interface=interface, pace=RigClock(0), block_frames=64)
    delayed = DelayedSource(device, frames=100)
    assert delayed.outputs == OUTPUTS
    assert delayed.read_block().at_frame == 0
    block = delayed.read_block()
    assert block.at_frame == 100
    delayed.play(np.ones((10, OUTPUTS)), block.at_frame + 2 * 64)
    for _ in range(3):
        delayed.read_block()
    heard = np.concatenate(device.heard)[:, 3]
    np.testing.assert_array_equal(np.flatnonzero(heard), np.arange(128, 138))
