"""The line to the disk: what may wait in it, who is held up, and what is on the disk when."""

import errno
import threading

import numpy as np

from fatsignal.engine.disk_writer import DiskWriter
from tests.signals import FS

SECOND = np.zeros((FS, 1))


class StuckFiles:
    """Files of a take on a disk that does not answer until it is let go."""

    def __init__(self, released: threading.Event) -> None:
        self.frames, self._released = 0, released

    def write(self, block):
        self._released.wait()
        self.frames += len(block)

    def stay_in_place(self):
        pass

    def through(self):
        return lambda: None


def in_a_thread(act):
    thread = threading.Thread(target=act, daemon=True)
    thread.start()
    return thread


def test_three_seconds_of_each_of_six_parts_wait_without_holding_anybody_up():
    released = threading.Event()
    line, parts = DiskWriter(rate_hz=FS), [StuckFiles(released) for _ in range(6)]

    def three_seconds():
        for _ in range(3):
            for files in parts:
                line.write(files, SECOND)

    bringing = in_a_thread(three_seconds)
    bringing.join(timeout=20)
    assert not bringing.is_alive()
    released.set()
    line.finish()
    assert [files.frames for files in parts] == [3 * FS] * 6


def test_who_brings_more_than_that_waits_until_some_of_it_is_written():
    released = threading.Event()
    line, files = DiskWriter(rate_hz=FS), StuckFiles(released)
    bringing = in_a_thread(lambda: [line.write(files, SECOND) for _ in range(6)])
    bringing.join(timeout=0.5)
    assert bringing.is_alive()
    released.set()
    bringing.join(timeout=20)
    line.finish()
    assert files.frames == 6 * FS


class SlowToSync(StuckFiles):
    """Files on a disk that takes what is written at once, and says so only when it is let go."""

    def write(self, block):
        self.frames += len(block)

    def through(self):
        return self._released.wait


def test_writing_goes_on_while_the_disk_itself_is_slow(monkeypatch):
    """Killed at that moment, an engine leaves behind what came during it."""
    monkeypatch.setattr("fatsignal.engine.disk_writer._LOOK_S", 0.0)
    released, told = threading.Event(), threading.Event()
    line, files = DiskWriter(rate_hz=FS), SlowToSync(released)
    for second in range(6):
        line.write(files, SECOND)
        line.flush()
        assert files.frames == (second + 1) * FS
    line.do_when_through(told.set)
    line.flush()
    finishing = in_a_thread(line.finish)
    assert not told.wait(0.2)
    assert finishing.is_alive()
    released.set()
    finishing.join(timeout=20)
    assert told.is_set()
    assert not finishing.is_alive()


def test_what_the_disk_refuses_at_the_end_is_trouble_and_once_a_second_is_not(monkeypatch):
    monkeypatch.setattr("fatsignal.engine.disk_writer._LOOK_S", 0.0)

    class Refusing(SlowToSync):
        def through(self):
            return refuse

    def refuse():
        raise OSError(errno.EIO, "no")

    line, files = DiskWriter(rate_hz=FS), Refusing(threading.Event())
    line.write(files, SECOND)
    line.flush()
    line.bring_through(lambda: None)
    assert line.trouble is None
    line.submit(lambda: line.bring_through(files.through()))
    line.finish()
    assert line.trouble.errno == errno.EIO
