"""Rigs that play in a process of their own."""

import os
import signal
import time
from multiprocessing import active_children

import numpy as np
import pytest

from fatsignal.core.timing.tempo import TempoMap
from fatsignal.demo import song
from fatsignal.errors import RollRefused
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.multi_rig import MultiRigSource
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.simulated import Performance, SimulatedRig, channels_of
from fatsignal.rig.subprocess_rig import AHEAD_S, PIECE_FRAMES, SubprocessRigs
from tests.signals import FS

TEMPO = TempoMap.steady(104, rate_hz=FS)
SETUPS = (RigSetup(), RigSetup(mics=[]))
CHANNELS = [channel for setup in SETUPS for channel in channels_of(setup)]


def two_players():
    played = Performance(song.baritone_part(), TEMPO, TEMPO.bar_frame(13), TEMPO.bar_frame(15), 7)
    return [SimulatedRig(setup, played, pace=RigClock(0)) for setup in SETUPS]


def refusing():
    raise RollRefused("the player is at lunch: roll later")


def broken():
    raise ValueError("a fault in the program")


@pytest.fixture
def apart():
    rigs = SubprocessRigs(two_players, rate_hz=FS, channels=CHANNELS)
    yield rigs
    rigs.close()


def test_they_play_the_same_samples_as_here_whatever_is_asked_for(apart):
    # More than the ring holds, in pieces that fit it nowhere.
    sizes = [1, 127, PIECE_FRAMES, 3 * PIECE_FRAMES + 5, int(1.5 * AHEAD_S * FS)]
    there = np.concatenate([apart.render(size) for size in sizes])
    here = np.concatenate([rig.render(sum(sizes)) for rig in two_players()], axis=1)
    np.testing.assert_array_equal(there, here)
    assert np.abs(here).max() > 0.05


def test_they_are_players_of_a_band_like_any_other(apart):
    band = MultiRigSource([apart], interface=SimulatedInterface(), pace=RigClock(0), block_frames=100)
    assert [channel.name for channel in band.channels] == ["DI", "mic A", "mic B", "DI"]
    blocks = [band.read_block() for _ in range(30)]
    assert [block.at_frame for block in blocks] == [100 * n for n in range(30)]
    band.close()
    assert band.read_block() is None
    # Whoever is still reading when it is closed hears silence, and nothing is raised.
    assert not apart.render(5_000).any()


def test_their_process_ends_when_they_are_closed():
    rigs = SubprocessRigs(two_players, rate_hz=FS, channels=CHANNELS)
    (process,) = active_children()
    rigs.close()
    process.join(5)
    assert process.exitcode == 0
    rigs.close()


def test_why_they_cannot_play_is_said_here():
    with pytest.raises(RollRefused, match="at lunch"):
        SubprocessRigs(refusing, rate_hz=FS, channels=CHANNELS)
    with pytest.raises(RollRefused, match="process was lost"):
        SubprocessRigs(broken, rate_hz=FS, channels=CHANNELS)


def test_a_process_that_is_lost_is_told_at_once_after_what_it_played(apart):
    apart.render(100)
    (process,) = active_children()
    os.kill(process.pid, signal.SIGKILL)
    began_s = time.monotonic()
    with pytest.raises(RollRefused, match="process was lost"):
        apart.render(60 * FS)
    assert time.monotonic() - began_s < 5
