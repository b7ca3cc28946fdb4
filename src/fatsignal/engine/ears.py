"""Ears: who listens to which cue, and the sound on its way there.

A pair of ears gets frames of a simple kind: a header of three little-endian numbers (frames: uint32, channels: uint32,
place in the stream: int64), then the samples as 32-bit floats, left and right by turns.
"""

import socket
import struct
from collections import deque
from uuid import UUID

from fatsignal.core.clip import Samples

HEADER = struct.Struct("<IIq")
# What a listener who does not fetch may have waiting; then the oldest is dropped, so that the delay does not grow.
_MOST_WAITING = 64
_SYSTEM_BYTES = 65_536


class Ear:
    """One who listens. Sound goes from the thread that brings it straight into the socket, which never holds it up.

    Through the event loop, hundreds of blocks a second would take the interpreter away from that thread as often.
    """

    def __init__(self, cue_id: UUID, connection: socket.socket) -> None:
        self.cue_id = cue_id
        self._connection = connection
        connection.setblocking(False)
        # What the system takes is on its way and can't be dropped any more.
        connection.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, _SYSTEM_BYTES)
        self._waiting: deque[bytes] = deque()

    def send(self, block: bytes) -> None:
        """Send a block, or let it wait for its turn."""
        waiting = self._waiting
        waiting.append(block)
        if len(waiting) > _MOST_WAITING:
            # The first may be half on its way.
            del waiting[1]
        try:
            while waiting:
                sent = self._connection.send(waiting[0])
                if sent < len(waiting[0]):
                    waiting[0] = waiting[0][sent:]
                else:
                    waiting.popleft()
        except BlockingIOError:
            return
        except OSError:
            waiting.clear()  # it is gone: whoever added it takes it away

    def close(self) -> None:
        """Let go of the connection."""
        self._connection.close()


class Ears:
    """All who listen."""

    def __init__(self) -> None:
        self._all: tuple[Ear, ...] = ()

    @property
    def listened(self) -> list[UUID]:
        """Cues that somebody listens to now."""
        return list(dict.fromkeys(ear.cue_id for ear in self._all))

    def send(self, cue_id: UUID, at_frame: int, block: Samples) -> None:
        """Bring a block of shape (frames, 2) to all who listen to a cue."""
        data = HEADER.pack(len(block), block.shape[1], at_frame) + block.astype("<f4").tobytes()
        for ear in self._all:
            if ear.cue_id == cue_id:
                ear.send(data)

    def add(self, ear: Ear) -> None:
        """From now on this one listens too."""
        self._all = (*self._all, ear)

    def remove(self, ear: Ear) -> None:
        """It listens no more."""
        self._all = tuple(other for other in self._all if other is not ear)
        ear.close()
