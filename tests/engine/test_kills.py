"""An engine that is killed at any moment loses no more than the last tenth of a second; counted sample by sample."""

import ctypes
import multiprocessing
import os
import signal
import subprocess
import time
import wave

import numpy as np
import pytest
import soundfile

from fatsignal.core.level.depth import WordPacker
from fatsignal.core.takes.windows import Window
from fatsignal.engine.engine_lock import acquire_engine_lock, engine_is_running
from fatsignal.engine.recorder import Recorder
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.source import Block
from tests.engine.sources import TEMPO, Counting, counted, journal, order, part, plan, take_folder
from tests.signals import FS

# A busy machine delivers late: what a kill may cost is counted in time.
pytestmark = pytest.mark.realtime

MOST_LOST_FRAMES = FS // 10
HANDLE = FS // 16
PASS = FS // 4


@pytest.fixture(scope="module", autouse=True)
def _warm():
    """As an engine is before it says that it is ready: what packs samples takes a second to load."""
    WordPacker("24").pack(np.zeros((64, 1)))


class PacedCounting(Counting):
    """Counts up at the pace of real time in blocks of random sizes, and notes outside the process what it gave away."""

    def __init__(self, channels, frames, delivered, *, seed):
        super().__init__(channels, frames)
        self._delivered, self._random = delivered, np.random.default_rng(seed)
        self._began = None

    def read_block(self) -> Block | None:
        self.block_frames = int(self._random.integers(32, 1_500))
        self._began = self._began or time.monotonic()
        due = self._began + (self.at + self.block_frames) / FS
        time.sleep(max(0.0, due - time.monotonic()))
        block = super().read_block()
        self._delivered.value = self.at
        return block


def looped(folder):
    """A quarter of a second round and round: that a kill falls on a seam is as likely as not."""
    start = TEMPO.bar_frame(2)
    rounds = plan(
        way="loop", from_frame=start, play_from_frame=start, to_frame=start + PASS, again_from_frame=start,
        handle_frames=HANDLE, windows=(Window(start, start + PASS),),
    )  # fmt: skip
    return order(folder, plan=rounds, parts=[part(folder, setup=RigSetup(mics=[]), first_number=1)])


@pytest.mark.long
def test_a_kill_at_a_random_moment_costs_a_tenth_of_a_second_at_most(tmp_path):
    for seed in range(200):
        killed_at_random(tmp_path / str(seed), seed)


def killed_at_random(folder, seed):
    asked = looped(folder)
    context = multiprocessing.get_context("fork")
    delivered = context.Value(ctypes.c_int64, 0, lock=False)
    process = context.Process(
        target=Recorder(asked, PacedCounting(1, 60 * FS, delivered, seed=seed), lambda _: None).run
    )
    process.start()
    try:
        while delivered.value == 0:
            assert process.is_alive()
            time.sleep(0.001)
        time.sleep(np.random.default_rng(100 + seed).uniform(0.0, 1.2))
    finally:
        os.kill(process.pid, signal.SIGKILL)
        process.join()
    given = delivered.value
    reached = 0
    for index in range(len(list((folder / "Baritone").iterdir()))):
        name = take_folder(asked, index) / f"Baritone {index + 1:02d} - ch 0.wav"
        begin = max(0, index * PASS - HANDLE)
        if not name.exists():
            # Killed between the making of its folder and of its first file: the pass before has what was played.
            continue
        words = soundfile.read(name, dtype="int32")[0] >> 8
        # Every sample that is there is the one that was played there, in this pass as in the one before.
        expected = np.rint(counted(begin, begin + len(words), 1)[:, 0] * (1 << 23)).astype(int)
        np.testing.assert_array_equal(words, expected)
        reached = max(reached, begin + len(words))
        kept = journal(asked, index)
        assert (kept.number, kept.take_id is not None) == (index + 1, True)
        with wave.open(str(name)) as elsewhere:
            assert elsewhere.getnframes() == len(words)
    assert given - MOST_LOST_FRAMES <= reached <= given


def test_what_a_kill_left_opens_in_other_programs(tmp_path):
    asked = looped(tmp_path)
    context = multiprocessing.get_context("fork")
    delivered = context.Value(ctypes.c_int64, 0, lock=False)
    process = context.Process(target=Recorder(asked, PacedCounting(1, 60 * FS, delivered, seed=1), lambda _: None).run)
    process.start()
    while delivered.value < FS // 5:
        time.sleep(0.001)
    # What it is told to lose is a tenth of a second; a machine that stands still needs longer to write.
    time.sleep(0.3)
    os.kill(process.pid, signal.SIGKILL)
    process.join()
    file = take_folder(asked) / "Baritone 01 - ch 0.wav"
    mine = soundfile.read(file, dtype="int32")[0]
    assert len(mine) > FS // 10
    command = ["ffmpeg", "-v", "error", "-i", str(file), "-f", "s32le", "-"]
    theirs = np.frombuffer(subprocess.run(command, check=True, capture_output=True).stdout, dtype="<i4")
    np.testing.assert_array_equal(theirs, mine)
    assert subprocess.run(["flac", "--silent", "-o", str(tmp_path / "x.flac"), str(file)], check=False).returncode == 0


def test_the_lock_of_an_engine_that_was_killed_is_open_at_once(tmp_path):
    context = multiprocessing.get_context("fork")
    holding = context.Event()

    def hold():
        kept = acquire_engine_lock(tmp_path)
        holding.set()
        time.sleep(60)
        kept.close()

    assert not engine_is_running(tmp_path)
    process = context.Process(target=hold)
    process.start()
    assert holding.wait(10)
    assert engine_is_running(tmp_path)
    assert acquire_engine_lock(tmp_path, wait_s=0.1) is None
    # Not waited for: its process is still there to be asked after.
    os.kill(process.pid, signal.SIGKILL)
    mine = acquire_engine_lock(tmp_path, wait_s=5.0)
    assert mine is not None
    mine.close()
    process.join()
