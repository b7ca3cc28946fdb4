"""An engine that dies at a named seam leaves takes that can be entered, with all but the last tenth of a second."""

import ctypes
import multiprocessing
import signal
import time

import numpy as np
import pytest
import soundfile

from fatsignal.acts.enter_roll import measure_roll, waiting_rolls
from fatsignal.core.level.depth import WordPacker
from fatsignal.engine.recorder import Recorder
from tests.engine.sources import counted, take_folder
from tests.engine.test_kills import HANDLE, MOST_LOST_FRAMES, PASS, PacedCounting, looped
from tests.seams import Seam, killed
from tests.signals import FS

# A busy machine delivers late: what a kill may cost is counted in time.
pytestmark = pytest.mark.realtime

# Counted over passes of a quarter of a second: the second is opened before the first is closed.
SEAMS = [
    Seam("folder made, no journal", "fatsignal.engine.journal:Journal.write", "before", 2),
    Seam("journal half written", "pathlib:Path.replace", "before", 2),
    Seam("journal written, no file", "fatsignal.engine.journal:Journal.write", "after", 2),
    Seam("file made, nothing in it", "fatsignal.files.wave_writer:WaveWriter.__init__", "after", 2),
    Seam("samples written, header not", "fatsignal.files.wave_writer:WaveWriter.write", "after", 9),
    Seam("header written, not on the disk", "os:fdatasync", "before", 3),
    Seam("pass over, files open", "fatsignal.engine.take_files:TakeFiles.close", "before"),
    Seam("files closed, journal without an end", "fatsignal.engine.take_files:TakeFiles.close", "after"),
    Seam("journal with its end, not told", "fatsignal.engine.journal:Journal.write", "after", 3),
    Seam("on the disk, not told", "fatsignal.engine.recorder:PassEnded", "before"),
]


@pytest.fixture(autouse=True)
def _warm():
    WordPacker("24").pack(np.zeros((64, 1)))


@pytest.mark.parametrize("seam", SEAMS, ids=str)
def test_what_an_engine_that_died_at_a_seam_leaves_is_entered(tmp_path, monkeypatch, seam):
    sessions = tmp_path / "sessions"
    asked = looped(sessions / "Song")
    context = multiprocessing.get_context("fork")
    delivered = context.Value(ctypes.c_int64, 0, lock=False)
    source = PacedCounting(1, 60 * FS, delivered, seed=1)
    with monkeypatch.context() as patched:
        seam.set(patched, killed)
        process = context.Process(target=Recorder(asked, source, lambda _: None).run)
        process.start()
    process.join(timeout=20)
    assert process.exitcode == -signal.SIGKILL, "the seam was not come to"
    given, reached, taken = delivered.value, 0, []
    for folder in waiting_rolls(sessions):
        index = int(folder.name.rsplit(" ", 1)[-1]) - 1
        assert folder == take_folder(asked, index)
        measured = measure_roll(folder, sessions_folder=sessions, waves_folder=tmp_path / "waves")
        if measured.take is None:
            continue
        taken.append(index)
        begin = max(0, index * PASS - HANDLE)
        (channel,) = measured.channels
        words = soundfile.read(folder / channel.file, dtype="int32")[0] >> 8
        assert len(words) == measured.take.frames
        expected = np.rint(counted(begin, begin + len(words), 1)[:, 0] * (1 << 23)).astype(int)
        np.testing.assert_array_equal(words, expected)
        reached = max(reached, begin + len(words))
    assert 0 in taken
    assert given - MOST_LOST_FRAMES <= reached <= given


def test_a_seam_that_is_passed_by_kills_nobody(monkeypatch):
    calls = []
    with monkeypatch.context() as patched:
        Seam("never", "time:monotonic", "before", 10**9).set(patched, lambda: calls.append(1))
        assert time.monotonic() > 0
    assert calls == []
