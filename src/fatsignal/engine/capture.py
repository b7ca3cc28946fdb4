"""Blocks from a source to disk first, then to the meters: what takes, checks and the computer's playback share."""

import errno
import threading
from collections.abc import Callable
from datetime import datetime
from typing import Generic, Literal, TypeVar
from uuid import UUID

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.level.peak import peak_dbfs, rms_dbfs
from fatsignal.core.level.pyramid import columns
from fatsignal.engine.protocol import ChannelFile, Ended, Event, ListenOrder, Meters, RollOrder
from fatsignal.errors import FatSignalError
from fatsignal.files.bext import BroadcastNote
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.source import Source

FRAMES_PER_COLUMN = 1024
_METER_HZ = 30
_FLUSH_S = 0.25

Reason = Literal["stopped", "section", "problem"]
WriterFactory = Callable[..., WaveWriter]
OrderKind = TypeVar("OrderKind", RollOrder, ListenOrder)


class Capture(Generic[OrderKind]):
    """Records one order. `run` blocks until its frames are there, `stop` is called, or a problem ends it.

    What arrives in the record offset belongs before the first frame and is left out.
    """

    def __init__(
        self, order: OrderKind, source: Source, tell: Callable[[Event], None], *,
        open_writer: WriterFactory = WaveWriter,
    ) -> None:  # fmt: skip
        self._order: OrderKind = order
        self._source = source
        self.tell = tell
        self._open_writer = open_writer
        self._stopping = threading.Event()
        self._writers: list[WaveWriter] = []
        self._meters = _MeterWindow(len(source.channels))
        self._frames = 0

    @property
    def roll_id(self) -> UUID:
        return self._order.roll_id

    def stop(self) -> None:
        """Ask for the end; it comes after the block that is being read."""
        self._stopping.set()

    def run(self) -> Ended:
        """Record. Whatever happens, the files are closed, and an event tells how it ended."""
        reason: Reason = "stopped"
        problem = ""
        opened = False
        try:
            files = self._open()
            opened = True
            self._begun(files)
            reason = self._roll()
        except OSError as trouble:
            reason, problem = "problem", _disk_sentence(trouble, self._frames / self._order.rate_hz)
        except FatSignalError as trouble:
            reason, problem = "problem", str(trouble)
        finally:
            self._source.close()
            problem = self._close(problem)
        if problem:
            reason = "problem"
        ended = Ended(
            roll_id=self._order.roll_id, folder=self._order.folder, frames=self._frames, reason=reason,
            problem=problem, listened=isinstance(self._order, ListenOrder),
        )  # fmt: skip
        if opened:
            self._ended(ended)
        self.tell(ended)
        return ended

    def _made(self, files: list[ChannelFile], started_at: datetime) -> None:
        """The folder is there, its files not yet."""

    def _begun(self, files: list[ChannelFile]) -> None:
        """All files are open."""

    def _heard(self, block: Samples) -> None:
        """A block is on disk."""

    def _shown(self) -> None:
        """A thirtieth of a second is over."""

    def _ended(self, ended: Ended) -> None:
        """All files are closed."""

    def _open(self) -> list[ChannelFile]:
        order = self._order
        order.folder.mkdir(parents=True, exist_ok=False)
        started_at = datetime.now().astimezone()
        files = [
            ChannelFile(name=channel.name, kind=channel.kind, file=f"{order.stem} - {channel.name}.wav")
            for channel in self._source.channels
        ]
        self._made(files, started_at)
        for file in files:
            note = BroadcastNote(
                description=f"{order.stem} - {file.name}", originated_at=started_at,
                time_reference_frames=max(0, order.from_frame),
            )  # fmt: skip
            writer = self._open_writer(order.folder / file.file, rate_hz=order.rate_hz, depth=order.depth, note=note)
            self._writers.append(writer)
        return files

    def _roll(self) -> Reason:
        rate_hz = self._order.rate_hz
        late, left = self._order.record_offset_frames, self._order.to_frame - self._order.from_frame
        flushed, meter_at = 0, rate_hz // _METER_HZ
        while not self._stopping.is_set():
            block = self._source.read_block()
            if block is None:
                return "section"
            late, block = late - min(late, len(block)), block[min(late, len(block)) :][: left - self._frames]
            if not len(block):
                if self._frames >= left:
                    return "section"
                continue
            for index, writer in enumerate(self._writers):
                writer.write(block[:, index : index + 1])
            self._frames += len(block)
            if self._frames - flushed >= _FLUSH_S * rate_hz:
                for writer in self._writers:
                    writer.flush()
                flushed = self._frames
            self._meters.add(block)
            self._heard(block)
            if self._frames >= meter_at:
                # Counted on from when it was due, so that blocks of any size give thirty a second.
                meter_at += rate_hz // _METER_HZ
                self.tell(self._meters.message(self._order, self._frames))
                self._shown()
        return "stopped"

    def _close(self, problem: str) -> str:
        """Close all files; channels that a full disk left at different lengths keep what they have."""
        for writer in self._writers:
            try:
                writer.close()
            except OSError as trouble:
                problem = problem or _disk_sentence(trouble, writer.frames / self._order.rate_hz)
        if self._writers:
            self._frames = min(writer.frames for writer in self._writers)
        return problem


class _MeterWindow:
    """Blocks since the last message, and those not yet drawn as columns."""

    def __init__(self, channels: int) -> None:
        self._recent: list[Samples] = []
        self._undrawn = np.zeros((0, channels))
        self._drawn_columns = 0

    def add(self, block: Samples) -> None:
        self._recent.append(block)

    def message(self, order: RollOrder | ListenOrder, frames: int) -> Meters:
        recent = np.concatenate(self._recent)
        self._recent.clear()
        waiting = np.concatenate((self._undrawn, recent))
        whole = len(waiting) // FRAMES_PER_COLUMN
        ready, self._undrawn = (
            waiting[: whole * FRAMES_PER_COLUMN],
            waiting[whole * FRAMES_PER_COLUMN :],
        )
        first, self._drawn_columns = self._drawn_columns, self._drawn_columns + whole
        at_frame = order.from_frame + frames
        bar, beat = order.tempo.bar_beat_at(at_frame)
        channels = [np.ascontiguousarray(recent[:, index]) for index in range(recent.shape[1])]
        return Meters(
            roll_id=order.roll_id,
            frame=at_frame,
            bar=bar,
            beat=beat,
            peak_dbfs=[_shown(peak_dbfs(channel)) for channel in channels],
            average_dbfs=[_shown(rms_dbfs(channel)) for channel in channels],
            frames_per_column=FRAMES_PER_COLUMN,
            first_column=first,
            columns=columns(ready, frames_per_column=FRAMES_PER_COLUMN).tolist() if whole else [[]] * len(channels),
        )


def _shown(level_dbfs: float) -> float:
    """Silence as the bottom of the meter: JSON has no minus infinity."""
    return round(max(level_dbfs, -120.0), 2)


def _disk_sentence(trouble: OSError, kept_s: float) -> str:
    kept = f"what was rolled until then is kept ({kept_s:.1f} s)" if kept_s > 0 else "nothing was rolled"
    match trouble.errno:
        case errno.ENOSPC | errno.EDQUOT | errno.EFBIG:
            return f"the disk is full: {kept}; make room and roll again"
        case errno.EROFS | errno.EACCES | errno.EPERM:
            return f"the session's folder cannot be written to: {kept}; allow writing there and roll again"
        case errno.EEXIST:
            return "the take's folder exists already: nothing was overwritten; roll again"
        case _:
            return f"writing failed ({trouble.strerror or trouble}): {kept}; check the disk and roll again"
