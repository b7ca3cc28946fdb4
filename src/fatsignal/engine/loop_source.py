"""Files that go round and round at the pace of a clock, as if they were played: what the bench listens to.

A thread of its own reads ahead; where the loop comes round, what would have come after its end fades into its
beginning, so that nothing jumps.
"""

import threading
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Wanted
from fatsignal.core.takes.windows import Window
from fatsignal.engine.priority import Rank, prefer_this_thread
from fatsignal.files.material_files import FilesReader
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.rig_clock import ClockedSource, RigClock
from fatsignal.rig.source import InputChannel

_CHUNK_FRAMES = 4096
_AHEAD_CHUNKS = 4
_SEAM_S = 0.01
# A disk that stalls longer than this leaves silence.
_PATIENCE_S = 0.05


@dataclass(frozen=True, slots=True)
class LoopColumn:
    """One column: a channel of files that were opened for it."""

    reader: FilesReader
    wanted: Wanted


class LoopSource(ClockedSource):
    """Columns over a loop of the song, from `start_frame` on. Its own clock counts from 0."""

    outputs = 0

    def __init__(
        self, columns: Sequence[LoopColumn], loop: Window, *, start_frame: int, rate_hz: int, pace: RigClock,
        block_frames: int,
    ) -> None:  # fmt: skip
        super().__init__(
            rate_hz=rate_hz, frames=None, interface=SimulatedInterface(), pace=pace, block_frames=block_frames
        )
        self.channels: tuple[InputChannel, ...] = (InputChannel("dry", "di"),)
        self._columns, self._loop = list(columns), loop
        self._paced = pace.speed > 0
        self._seam_frames = min(round(_SEAM_S * rate_hz), loop.frames // 2)
        self._start = (start_frame - loop.from_frame) % loop.frames
        self._at = 0
        self._changed = threading.Condition()
        self._ready: deque[Samples] = deque()
        self._over = False
        self._thread = threading.Thread(target=self._read_ahead, name="loop", daemon=True)
        self._thread.start()

    def song_frame(self, clock: int) -> int:
        """Where in the song a frame of the clock lies."""
        return self._loop.from_frame + (self._start + clock) % self._loop.frames

    def render(self, frames: int) -> Samples:
        """The next frames, shape (frames, columns); silence where the disk did not give them in time."""
        out = np.zeros((frames, len(self._columns)))
        filled = 0
        while filled < frames:
            with self._changed:
                self._changed.wait_for(lambda: self._ready or self._over, timeout=_PATIENCE_S if self._paced else 5.0)
                if not self._ready:
                    break
                chunk = self._ready[0]
                taken = min(frames - filled, len(chunk))
                out[filled : filled + taken] = chunk[:taken]
                filled += taken
                if taken == len(chunk):
                    self._ready.popleft()
                    self._changed.notify_all()
                else:
                    self._ready[0] = chunk[taken:]
        return out

    def close(self) -> None:
        """Stop, and close the files."""
        super().close()
        with self._changed:
            self._over = True
            self._changed.notify_all()
        if threading.current_thread() is not self._thread:
            self._thread.join()

    def _read_ahead(self) -> None:
        if self._paced:
            prefer_this_thread(Rank.BESIDE)
        try:
            while True:
                with self._changed:
                    self._changed.wait_for(lambda: self._over or len(self._ready) < _AHEAD_CHUNKS)
                    if self._over:
                        return
                chunk = self.piece(self._at, _CHUNK_FRAMES)
                self._at += _CHUNK_FRAMES
                with self._changed:
                    self._ready.append(chunk)
                    self._changed.notify_all()
        finally:
            for reader in {id(column.reader): column.reader for column in self._columns}.values():
                reader.close()

    def piece(self, clock: int, frames: int) -> Samples:
        """Frames from a frame of the clock on, shape (frames, columns)."""
        out = np.empty((frames, len(self._columns)))
        done = 0
        while done < frames:
            since_seam = (self._start + clock + done) % self._loop.frames
            count = min(frames - done, self._loop.frames - since_seam)
            rows = out[done : done + count]
            for index, column in enumerate(self._columns):
                rows[:, index] = column.reader.read(column.wanted, self._loop.from_frame + since_seam, count)
            came_round = self._start + clock + done >= self._loop.frames
            if came_round and since_seam < self._seam_frames:
                self._fade_seam(rows[: self._seam_frames - since_seam], since_seam)
            done += count
        return out

    def _fade_seam(self, rows: Samples, since_seam: int) -> None:
        rise = ((since_seam + np.arange(len(rows)) + 0.5) / self._seam_frames)[:, None]
        ending = np.empty_like(rows)
        for index, column in enumerate(self._columns):
            ending[:, index] = column.reader.read(column.wanted, self._loop.to_frame + since_seam, len(rows))
        rows[:] = rise * rows + (1 - rise) * ending
