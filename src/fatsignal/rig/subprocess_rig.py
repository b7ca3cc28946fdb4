"""Simulated rigs that play in a process of their own, ahead of time, as hardware plays without asking the engine.

What they compute costs the engine nothing but a copy: they share neither its interpreter nor its place in the queue of
the processor. Samples lie in a ring of memory that both processes see; one byte through a pipe says that a piece of it
was filled, one back that it was fetched. Whichever process dies, the other reads the end of that pipe at once.
"""

import threading
from collections.abc import Callable, Sequence
from ctypes import Array, c_double
from multiprocessing.connection import Connection

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.errors import RollRefused
from fatsignal.rig.forkserver import PROCESSES
from fatsignal.rig.simulated import SimulatedRig
from fatsignal.rig.source import InputChannel

PIECE_FRAMES = 1024
# How far ahead they play: as long as a busy computer keeps them waiting, and longer.
AHEAD_S = 1.0
_PATIENCE_S = 10.0
_FILLED, _FETCHED, _ENOUGH = b"f", b"r", b"e"

_LOST = "the simulated rig's process was lost: roll again"


class SubprocessRigs:
    """Rigs that stand together, as one that is played elsewhere: `render` takes what it played already.

    Raises
    ------
    RollRefused
        If they cannot be set up, with their own sentence; while rendering if their process was lost.
    """

    def __init__(
        self, set_up: Callable[[], Sequence[SimulatedRig]], *, rate_hz: int, channels: Sequence[InputChannel]
    ) -> None:
        self.rate_hz, self.channels = rate_hz, tuple(channels)
        self._pipe, theirs = PROCESSES.Pipe()
        pieces = int(AHEAD_S * rate_hz) // PIECE_FRAMES
        memory = PROCESSES.RawArray(c_double, pieces * PIECE_FRAMES * len(self.channels))
        process = PROCESSES.Process(target=_play, args=(set_up, memory, theirs), name="rig", daemon=True)
        process.start()
        theirs.close()
        refused = self._receive()
        if isinstance(refused, RollRefused):
            raise refused
        self._ring = _ring(memory, len(self.channels))
        self._piece, self._used = 0, PIECE_FRAMES
        # Who closes waits until nobody renders.
        self._rendering = threading.Lock()
        self._closed = False

    def render(self, frames: int) -> Samples:
        """The next frames of all channels, shape (frames, channels); silence when they were closed."""
        out, at = np.zeros((frames, len(self.channels))), 0
        with self._rendering:
            while at < frames and not self._closed:
                if self._used == PIECE_FRAMES:
                    self._receive()
                    self._used = 0
                now = min(frames - at, PIECE_FRAMES - self._used)
                out[at : at + now] = self._ring[self._piece, self._used : self._used + now]
                at, self._used = at + now, self._used + now
                if self._used == PIECE_FRAMES:
                    self._send(_FETCHED)
                    self._piece = (self._piece + 1) % len(self._ring)
        return out

    def close(self) -> None:
        """They stop playing; their process ends."""
        with self._rendering:
            self._closed = True
            self._send(_ENOUGH)

    def _receive(self) -> object:
        try:
            if not self._pipe.poll(_PATIENCE_S):
                raise RollRefused(_LOST)
            return self._pipe.recv()
        except (EOFError, OSError) as gone:
            raise RollRefused(_LOST) from gone

    def _send(self, word: bytes) -> None:
        try:
            self._pipe.send(word)
        except OSError:
            return  # its process is gone: who waits for samples is told


def _play(set_up: Callable[[], Sequence[SimulatedRig]], memory: "Array[c_double]", pipe: Connection) -> None:
    """In the process of the rigs: play until the ring is full, go on when a piece was fetched."""
    try:
        rigs = set_up()
    except RollRefused as refused:
        pipe.send(refused)
        return
    pipe.send(None)
    ring = _ring(memory, sum(len(rig.channels) for rig in rigs))
    free, piece = len(ring), 0
    try:
        while True:
            while free == 0 or pipe.poll():
                if pipe.recv() == _ENOUGH:
                    return
                free += 1
            ring[piece] = np.concatenate([rig.render(PIECE_FRAMES) for rig in rigs], axis=1)
            free, piece = free - 1, (piece + 1) % len(ring)
            pipe.send(_FILLED)
    except (EOFError, OSError):
        return  # the engine is gone


def _ring(memory: "Array[c_double]", channels: int) -> Samples:
    """The ring as both processes see it, shape (pieces, frames of a piece, channels)."""
    return np.ctypeslib.as_array(memory).reshape(-1, PIECE_FRAMES, channels)
