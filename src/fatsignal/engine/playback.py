"""What plays beside a roll, read ahead from its files by a thread of its own: the live way never waits for a disk.

The delay through which a player hears the own playing is therefore the same however much plays.
"""

import threading
from collections import deque

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.cue.mix import CLICK
from fatsignal.core.takes.gates import opening
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import render_click
from fatsignal.core.units import amplitude_from_db
from fatsignal.engine.orders import RollOrder
from fatsignal.engine.priority import Rank, prefer_this_thread
from fatsignal.files.material_files import FilesReader

_CHUNK_FRAMES = 2048
_AHEAD_CHUNKS = 8
_FAR_FUTURE = 1 << 62


class Playback:
    """Columns of sound along the stream of a roll: one for a mono track, two for a stereo one, the click last."""

    def __init__(self, order: RollOrder) -> None:
        self._order = order
        self._plan = order.plan
        self.columns: list[tuple[str, int | None]] = []
        for track in order.tracks:
            self.columns += [(track.key, 0), (track.key, 1)] if track.columns == 2 else [(track.key, None)]
        self.columns.append((CLICK, None))
        own = [track.own for track in order.tracks for _ in track.wanted]
        self.own = np.array([*own, False])
        # A file that is gone plays nothing: the roll goes on.
        self._readers = [FilesReader(track.material, track.files, gone_is_silent=True) for track in order.tracks]
        self._changed = threading.Condition()
        self._ready: deque[tuple[int, Samples]] = deque()
        self._next = 0
        self._closed = False
        self._thread: threading.Thread | None = None

    def take(self, at_frame: int, frames: int, *, patience_s: float) -> Samples:
        """Frames of the stream from `at_frame` on, shape (frames, columns); silence where they are not read in time."""
        out = np.zeros((frames, len(self.columns)))
        if self._thread is None:
            self._next = at_frame
            self._thread = threading.Thread(target=self._read_ahead, name="playback", daemon=True)
            self._thread.start()
        with self._changed:
            self._forget_before(at_frame)
            self._changed.wait_for(lambda: self._reaches(at_frame + frames), timeout=patience_s)
            for start, chunk in self._ready:
                first, last = max(start, at_frame), min(start + len(chunk), at_frame + frames)
                if first < last:
                    out[first - at_frame : last - at_frame] = chunk[first - start : last - start]
        return out

    def close(self) -> None:
        """Stop reading and close the files."""
        with self._changed:
            self._closed = True
            self._changed.notify_all()
        if self._thread is not None:
            self._thread.join()

    def _reaches(self, frame: int) -> bool:
        return bool(self._ready) and self._ready[-1][0] + len(self._ready[-1][1]) >= frame

    def _forget_before(self, at_frame: int) -> None:
        room = False
        while self._ready and self._ready[0][0] + len(self._ready[0][1]) <= at_frame:
            self._ready.popleft()
            room = True
        # The device lost more than was read ahead: go on where it is now.
        if not self._ready and self._next < at_frame:
            self._next = at_frame
            room = True
        if room:
            # Not at every block: each waking of the reader takes the interpreter away from who brings sound.
            self._changed.notify_all()

    def _read_ahead(self) -> None:
        if self._order.paced:
            prefer_this_thread(Rank.BESIDE)
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._closed or len(self._ready) < _AHEAD_CHUNKS)
                if self._closed:
                    break
                start = self._next
            chunk = self._render(start)
            with self._changed:
                if start == self._next:
                    self._ready.append((start, chunk))
                    self._next = start + _CHUNK_FRAMES
                self._changed.notify_all()
        for reader in self._readers:
            reader.close()

    def _render(self, start: int) -> Samples:
        chunk = np.zeros((_CHUNK_FRAMES, len(self.columns)))
        playing = [Window(self._plan.play_from_frame, _FAR_FUTURE)]
        for offset, song in self._plan.segments(start, _CHUNK_FRAMES):
            rows = chunk[offset : offset + song.frames]
            column = 0
            if song.to_frame > self._plan.play_from_frame:
                # It fades in after a count-in; a loop that comes round goes straight on, so that beats stay sharp.
                round_again = self._plan.handle_frames and start + offset >= self._plan.to_frame - self._plan.from_frame
                gate = 1.0 if round_again else opening(playing, song, rate_hz=self._order.rate_hz)
                for track, reader in zip(self._order.tracks, self._readers, strict=True):
                    level = amplitude_from_db(track.gain_db)
                    for wanted in track.wanted:
                        rows[:, column] = gate * (level * reader.read(wanted, song.from_frame, song.frames))
                        column += 1
            click = render_click(
                self._order.tempo, from_frame=song.from_frame, to_frame=song.to_frame, settings=self._order.click
            )
            rows[:, -1] = click.channel(0)
        return chunk
