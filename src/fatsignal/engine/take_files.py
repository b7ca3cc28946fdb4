"""The files of one take, or of one check: one a channel, all of one length, in a folder of their own."""

import errno
import os
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth
from fatsignal.engine.protocol import ChannelFile
from fatsignal.files.atomic_write import sync_file, sync_folder
from fatsignal.files.bext import BextChunk
from fatsignal.files.names import channel_name
from fatsignal.files.wave_writer import WaveWriter
from fatsignal.rig.source import InputChannel

WriterFactory = Callable[..., WaveWriter]


class TakeFiles:
    """Files that grow together. All methods belong to the thread that writes."""

    def __init__(
        self, folder: Path, stem: str, channels: Sequence[InputChannel], *, rate_hz: int, depth: Depth, from_frame: int,
        open_writer: WriterFactory = WaveWriter, beside: Sequence[str] = (),
    ) -> None:  # fmt: skip
        self.rate_hz = rate_hz
        self._beside = beside  # names of what else lies in the folder and is to last as the files do
        self._inputs = list(channels)
        self._depth: Depth = depth
        self._from_frame = from_frame
        self._open_writer = open_writer
        self._writers: list[WaveWriter] = []
        self._moved: Callable[[], None] | None = None
        self._unwritten: Samples | None = None
        self._written_frames = 0
        self.call(folder, stem)

    def call(self, folder: Path, stem: str) -> None:
        """Where they will lie and how their names begin; only before they are opened."""
        self.folder, self._stem = folder, stem
        self.channels = [
            ChannelFile(name=channel.name, kind=channel.kind, file=f"{channel_name(stem, channel.name)}.wav")
            for channel in self._inputs
        ]

    @property
    def frames(self) -> int:
        """Frames that every channel has: a full disk may leave them at different lengths."""
        return min((writer.frames for writer in self._writers), default=0)

    @property
    def opened(self) -> bool:
        return bool(self._writers)

    def open(self, started_at: datetime, *, first: Callable[[], None] | None = None) -> None:
        """Make the folder, do what comes `first` in it, open all files.

        Raises
        ------
        OSError
            If the folder is there already, or the disk refuses.
        """
        self.folder.mkdir(parents=True, exist_ok=False)
        self._moved = first
        if first is not None:
            first()
        for channel in self.channels:
            note = BextChunk(
                description=channel_name(self._stem, channel.name), originated_at=started_at,
                time_reference_frames=max(0, self._from_frame),
            )  # fmt: skip
            self._writers.append(
                self._open_writer(self.folder / channel.file, rate_hz=self.rate_hz, depth=self._depth, note=note)
            )

    def write(self, block: Samples) -> None:
        """Append a block, shape (frames, channels); afterwards every file is whole.

        On a disk that fails, every channel takes as much as it can before the trouble is raised; `write_rest` goes on
        from there.
        """
        self._unwritten, self._written_frames = block, self.frames
        self.write_rest()

    def write_rest(self) -> None:
        """What of the last block is not yet written, each channel from where it stopped."""
        if self._unwritten is None:
            return
        first: OSError | None = None
        for index, writer in enumerate(self._writers):
            rest = self._unwritten[max(0, writer.frames - self._written_frames) :, index : index + 1]
            try:
                if len(rest):
                    writer.write(rest)
                writer.flush()
            except OSError as trouble:
                first = first or trouble
        if first is not None:
            raise first
        self._unwritten = None

    def through(self) -> Callable[[], None]:
        """What brings all that was written until now through to the disk itself, with the names it has.

        It is to be called once, from any thread, and may be while more is written or after all is closed.
        """
        descriptors = [writer.duplicate() for writer in self._writers]
        folder, beside = self.folder, self._beside

        def bring() -> None:
            try:
                # A folder that was moved or deleted meanwhile is made again, with all that is in it.
                with suppress(FileNotFoundError):
                    sync_folder(folder.parent)
                    for name in beside:
                        sync_file(folder / name)
                    sync_folder(folder)
                for descriptor in descriptors:
                    os.fdatasync(descriptor)
            finally:
                for descriptor in descriptors:
                    os.close(descriptor)

        return bring

    def stay_in_place(self) -> None:
        """Where the folder was moved or deleted meanwhile, make it again, with all that was written until now."""
        if all(writer.is_in_place() for writer in self._writers):
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        if self._moved is not None:
            self._moved()
        for writer in self._writers:
            if not writer.is_in_place():
                writer.write_again()

    def close(self) -> OSError | None:
        """Close all, on the disk or not; the first trouble is given back, so that every file is closed."""
        first: OSError | None = None
        for writer in self._writers:
            try:
                writer.close(durable=False)
            except OSError as trouble:
                first = first or trouble
        return first


def disk_sentence(trouble: OSError, kept_s: float) -> str:
    """What went wrong with the disk, what was kept, what to do."""
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
