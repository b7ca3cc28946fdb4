"""Materials on disk: where the files of their sources lie, and reading them."""

import hashlib
import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from types import TracebackType
from uuid import UUID

import numpy as np
import soundfile

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Channel, Wanted, find
from fatsignal.core.material.material import Material, Source
from fatsignal.core.material.reader import ChannelSource, MaterialReader
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused
from fatsignal.files.sound import read_span

# Of a comp over many takes only so many files are open at once.
_MOST_OPEN = 24


@dataclass(frozen=True, slots=True)
class EasedFile:
    """A stretch of a source that was made of it (`files/eased_files.py`): it sounds `at` some frames, and after it the
    source goes on so many frames `later`.
    """

    path: Path
    column: int
    at: Window
    later: int


@dataclass(frozen=True, slots=True)
class SourceFile:
    """The file of one channel of a source; `column` is its place among the file's own channels.

    `sha256` is the checksum it had when it was written; empty where none was taken. `eased` are stretches that sound
    in place of what the file has there, in order.
    """

    source_id: UUID
    channel: Channel
    path: Path
    column: int = 0
    sha256: str = ""
    eased: tuple[EasedFile, ...] = ()


@dataclass(frozen=True, slots=True)
class MaterialOnDisk:
    """A material with its files."""

    material: Material
    files: tuple[SourceFile, ...]

    def reader(self, *, gone_is_silent: bool = False) -> "FilesReader":
        """Read it; a file that is gone or broken is silent, or refused when it is come to."""
        return FilesReader(self.material, self.files, gone_is_silent=gone_is_silent)

    def files_of(self, wanted: Wanted) -> tuple[SourceFile, ...]:
        """The files that a channel is read from."""
        return tuple(
            file
            for source in self.material.sources
            for file in self.files
            if file.source_id == source.id and file.channel == find(source.channels, wanted)
        )

    def check_whole(self, wanted: Wanted) -> None:
        """See that what a channel is read from is what was recorded.

        Raises
        ------
        FileRefused
            If a file is gone, or is another by now.
        """
        for file in self.files_of(wanted):
            open_recorded(file.path).close()
            if file.sha256 and sha256_of(file.path) != file.sha256:
                raise FileRefused(f"{file.path.name} was changed since it was recorded: put the recorded file back")


class FilesReader(MaterialReader):
    """A material's reader that opens its files as they are needed; close it, or use it in a `with`.

    Several threads may read, one after the other.
    """

    def __init__(self, material: Material, files: Sequence[SourceFile], *, gone_is_silent: bool) -> None:
        super().__init__(material, self._channel)
        self._places = {(file.source_id, file.channel): file for file in files}
        self._gone_is_silent = gone_is_silent
        # Whether a file was away that something was to be read from.
        self.missed = False
        self._open: OrderedDict[Path, soundfile.SoundFile | None] = OrderedDict()
        self._one_at_a_time = threading.Lock()

    def read(self, wanted: Wanted, from_frame: int, frames: int) -> Samples:
        with self._one_at_a_time:
            return super().read(wanted, from_frame, frames)

    def close(self) -> None:
        """Close all files; reading again opens them again."""
        with self._one_at_a_time:
            while self._open:
                _, sound = self._open.popitem()
                if sound is not None:
                    sound.close()

    def __enter__(self) -> "FilesReader":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _channel(self, source: Source, wanted: Wanted) -> ChannelSource | None:
        channel = find(source.channels, wanted)
        place = self._places.get((source.id, channel)) if channel is not None else None
        if place is None:
            return None
        if place.eased:
            return _EasedChannel(place, self._column)
        return self._column(place.path, place.column)

    def _column(self, path: Path, column: int) -> "_FileChannel | None":
        sound = self._sound(path)
        return None if sound is None else _FileChannel(sound, column)

    def _sound(self, path: Path) -> soundfile.SoundFile | None:
        if path in self._open:
            self._open.move_to_end(path)
            return self._open[path]
        try:
            sound = open_recorded(path)
        except FileRefused:
            if not self._gone_is_silent:
                raise
            sound, self.missed = None, True
        self._open[path] = sound
        if len(self._open) > _MOST_OPEN:
            _, oldest = self._open.popitem(last=False)
            if oldest is not None:
                oldest.close()
        return sound


def sha256_of(path: Path) -> str:
    """The checksum of a file, hexadecimal; of one that nobody has touched since, it is known."""
    state = path.stat()
    # Whoever writes to a file, or puts another in its place, changes one of these: the last can be set by nobody.
    return _sha256(path, (state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns, state.st_ctime_ns))


@lru_cache(maxsize=4096)
def _sha256(path: Path, state: tuple[int, ...]) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def open_recorded(path: Path) -> soundfile.SoundFile:
    """Open a file that was recorded, brought in or printed.

    Raises
    ------
    FileRefused
        If it is gone, is no sound any more, or if something that points elsewhere lies in its place.
    """
    # A link could lead anywhere: what was written here is a file.
    if os.path.islink(path):
        raise FileRefused(f"{path.name} is a link now, not the file that was recorded: put the file itself back")
    try:
        return soundfile.SoundFile(path)
    except (soundfile.LibsndfileError, OSError, TypeError):
        if path.exists():
            raise FileRefused(f"{path.name} cannot be read as sound any more: put the recorded file back") from None
        raise FileRefused(f"{path.name} is not in its folder any more: put it back") from None


class _FileChannel:
    """One channel of an open file."""

    def __init__(self, sound: soundfile.SoundFile, column: int) -> None:
        self._sound, self._column = sound, column

    def read(self, from_frame: int, frames: int) -> Samples:
        return np.ascontiguousarray(read_span(self._sound, from_frame=from_frame, frames=frames)[:, self._column])


class _EasedChannel:
    """A channel of a source of which some stretches were made anew; what is not read is not opened."""

    def __init__(self, file: SourceFile, column: "Callable[[Path, int], _FileChannel | None]") -> None:
        self._file, self._column = file, column

    def read(self, from_frame: int, frames: int) -> Samples:
        out = np.zeros(frames)
        for span, path, column, origin in self._stretches(from_frame, from_frame + frames):
            first, last = max(span.from_frame, from_frame), min(span.to_frame, from_frame + frames)
            channel = self._column(path, column) if first < last else None
            if channel is not None:
                out[first - from_frame : last - from_frame] = channel.read(first - origin, last - first)
        return out

    def _stretches(self, first: int, last: int) -> Iterator[tuple[Window, Path, int, int]]:
        """Which file sounds where between two frames, in order, and where its frame 0 would."""
        file, at, later = self._file, first, 0
        for made in file.eased:
            yield Window(at, made.at.from_frame), file.path, file.column, later
            yield made.at, made.path, made.column, made.at.from_frame
            at, later = made.at.to_frame, made.later
        yield Window(at, last), file.path, file.column, later
