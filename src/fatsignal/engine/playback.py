"""What plays beside a roll, read ahead from its files by a thread of its own: the live way never waits for a disk.

The delay through which a player hears the own playing is therefore the same however much plays.
"""

import threading
from collections import deque
from pathlib import Path

import numpy as np
import soundfile

from fatsignal.core.clip import Samples
from fatsignal.core.cue.mix import CLICK
from fatsignal.core.takes.layers import CROSSFADE_S, opening
from fatsignal.core.takes.windows import Window
from fatsignal.core.timing.click import render_click
from fatsignal.core.units import amplitude_from_db
from fatsignal.engine.priority import Rank, prefer_this_thread
from fatsignal.engine.protocol import PlayPiece, PlayTrack, RollOrder
from fatsignal.files.sound import read_span

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
            self.columns += [(track.key, 0), (track.key, 1)] if track.stereo else [(track.key, None)]
        self.columns.append((CLICK, None))
        own = [track.own for track in order.tracks for _ in range(1 + track.stereo)]
        self.own = np.array([*own, False])
        self._files: dict[Path, soundfile.SoundFile | None] = {}
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
        for file in self._files.values():
            if file is not None:
                file.close()

    def _render(self, start: int) -> Samples:
        chunk = np.zeros((_CHUNK_FRAMES, len(self.columns)))
        playing = [Window(self._plan.play_from_frame, _FAR_FUTURE)]
        for offset, song in self._plan.segments(start, _CHUNK_FRAMES):
            rows = chunk[offset : offset + song.frames]
            column = 0
            if song.to_frame > self._plan.play_from_frame:
                # It fades in after a count-in; a loop that comes round goes straight on, so that beats stay sharp.
                round_again = self._plan.handle_frames and start + offset >= self._plan.to_frame - self._plan.from_frame
                gate = 1.0 if round_again else opening(playing, song, rate_hz=self._order.rate_hz)[:, None]
                for track in self._order.tracks:
                    width = 1 + track.stereo
                    rows[:, column : column + width] = gate * self._track(track, song, width)
                    column += width
            click = render_click(
                self._order.tempo, from_frame=song.from_frame, to_frame=song.to_frame, settings=self._order.click
            )
            rows[:, -1] = click.channel(0)
        return chunk

    def _track(self, track: PlayTrack, song: Window, width: int) -> Samples:
        out = np.zeros((song.frames, width))
        reach = round(CROSSFADE_S * self._order.rate_hz)
        for piece in track.pieces:
            span = Window(
                max(song.from_frame, piece.span.from_frame - reach), min(song.to_frame, piece.span.to_frame + reach)
            )
            if span.frames <= 0:
                continue
            gate = opening([piece.span], span, rate_hz=self._order.rate_hz)[:, None]
            out[span.from_frame - song.from_frame : span.to_frame - song.from_frame] += gate * self._read(
                piece, span, width
            )
        return amplitude_from_db(track.gain_db) * out

    def _read(self, piece: PlayPiece, span: Window, width: int) -> Samples:
        """Frames of the song from a file, silence where it has none: a file that is gone plays nothing."""
        file = self._file(piece.file)
        if file is None:
            return np.zeros((span.frames, width))
        return read_span(file, from_frame=span.from_frame - piece.begins_frame, frames=span.frames)[:, :width]

    def _file(self, path: Path) -> soundfile.SoundFile | None:
        if path not in self._files:
            try:
                self._files[path] = soundfile.SoundFile(path)
            except (soundfile.LibsndfileError, OSError):
                self._files[path] = None
        return self._files[path]
