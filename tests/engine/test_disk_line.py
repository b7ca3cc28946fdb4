"""The line to the disk: what may wait in it, and who is held up."""

import threading

import numpy as np

from fatsignal.engine.disk_line import DiskLine
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

    def sync(self):
        pass


def in_a_thread(act):
    thread = threading.Thread(target=act, daemon=True)
    thread.start()
    return thread


def test_three_seconds_of_each_of_six_parts_wait_without_holding_anybody_up():
    released = threading.Event()
    line, parts = DiskLine(rate_hz=FS), [StuckFiles(released) for _ in range(6)]

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
    line, files = DiskLine(rate_hz=FS), StuckFiles(released)
    bringing = in_a_thread(lambda: [line.write(files, SECOND) for _ in range(6)])
    bringing.join(timeout=0.5)
    assert bringing.is_alive()
    released.set()
    bringing.join(timeout=20)
    line.finish()
    assert files.frames == 6 * FS
