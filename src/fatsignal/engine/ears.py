"""Ears: who listens to which cue, and the sound on its way there.

A pair of ears gets frames of a simple kind: a header of three little-endian numbers (frames: uint32, channels: uint32,
place in the stream: int64), then the samples as 32-bit floats, left and right by turns.
"""

import asyncio
import contextlib
import struct
from uuid import UUID

from fatsignal.core.clip import Samples

HEADER = struct.Struct("<IIq")
# What a listener who does not fetch may have waiting; then the oldest is dropped, so that the delay does not grow.
_MOST_WAITING = 64


class Ears:
    """All who listen; sound is brought by the thread that rolls and sent by the loop."""

    def __init__(self, loop: asyncio.AbstractEventLoop) -> None:
        self._loop = loop
        self._queues: list[tuple[UUID, asyncio.Queue[bytes]]] = []

    @property
    def listened(self) -> list[UUID]:
        """Cues that somebody listens to now."""
        return list(dict.fromkeys(cue_id for cue_id, _ in self._queues))

    def send(self, cue_id: UUID, at_frame: int, block: Samples) -> None:
        """Bring a block of shape (frames, 2) to all who listen to a cue; may be called from any thread."""
        data = HEADER.pack(len(block), block.shape[1], at_frame) + block.astype("<f4").tobytes()
        with contextlib.suppress(RuntimeError):  # the loop is closing
            self._loop.call_soon_threadsafe(self._hand_out, cue_id, data)

    async def listen(self, cue_id: UUID, writer: asyncio.StreamWriter) -> None:
        """Send a cue's sound until the listener is gone."""
        entry = (cue_id, asyncio.Queue[bytes]())
        self._queues.append(entry)
        try:
            while True:
                writer.write(await entry[1].get())
                await writer.drain()
        except ConnectionError:
            pass
        finally:
            self._queues.remove(entry)

    def _hand_out(self, cue_id: UUID, data: bytes) -> None:
        for wanted, queue in self._queues:
            if wanted == cue_id:
                if queue.qsize() >= _MOST_WAITING:
                    queue.get_nowait()
                queue.put_nowait(data)
