"""A Broadcast WAV that grows: after every flush it is a whole, readable file.

Beyond 4 GiB it becomes an RF64 in place, into room that is kept for it from the start.

References: RIFF/WAVE as in EBU Tech 3285; RF64 and its `ds64` chunk, EBU Tech 3306.
"""

import os
import struct
from pathlib import Path
from types import TracebackType

from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import BYTES, Depth, WordPacker
from fatsignal.files.bext import BextChunk

_PCM, _FLOAT = 1, 3
_LARGEST_RIFF_BYTES = 0xFFFFFFFF - 1024


class WaveWriter:
    """Writes blocks to one file; whoever kills the process finds all blocks that were flushed.

    Raises
    ------
    OSError
        As the disk gives it. The file then ends on a whole frame and its header is right.
    """

    def __init__(
        self,
        path: Path,
        *,
        rate_hz: int,
        channels: int = 1,
        depth: Depth = "24",
        note: BextChunk | None = None,
        dither_seed: int = 0,
    ) -> None:
        self.path = path
        self.frames = 0
        self._rate_hz = rate_hz
        self._channels = channels
        self._packer = WordPacker(depth, seed=dither_seed)
        self._frame_bytes = channels * BYTES[depth]
        self._bext = note.pack() if note else b""
        # O_EXCL: recorded files are written once and never over another.
        self._descriptor = os.open(path, os.O_CREAT | os.O_EXCL | os.O_RDWR, 0o644)
        self._header_bytes = len(self._header())
        self.flush()

    def write(self, block: Samples) -> None:
        """Append a block, shape (frames, channels). On a full disk nothing is left but whole frames."""
        data = memoryview(self._packer.pack(block))
        at = self._header_bytes + self.frames * self._frame_bytes
        written = 0
        try:
            while written < len(data):
                written += os.pwrite(self._descriptor, data[written:], at + written)
        finally:
            self.frames += written // self._frame_bytes
            if written < len(data):
                self._cut()

    def flush(self) -> None:
        """Bring the header up to the frames written so far."""
        os.pwrite(self._descriptor, self._header(), 0)

    def duplicate(self) -> int:
        """Another descriptor of the file, to sync it by while it grows or after it is closed; whoever asks closes it.

        Raises
        ------
        OSError
            If none can be had.
        """
        return os.dup(self._descriptor)

    def close(self, *, durable: bool = True) -> None:
        """Finish the file; calling it again does nothing. A `durable` one is on the disk when this returns."""
        if self._descriptor < 0:
            return
        try:
            if self.frames * self._frame_bytes % 2:
                os.pwrite(self._descriptor, b"\0", self._header_bytes + self.frames * self._frame_bytes)
            self.flush()
            if durable:
                os.fsync(self._descriptor)
        finally:
            os.close(self._descriptor)
            self._descriptor = -1

    def is_in_place(self) -> bool:
        """Whether the file still lies at its path: a folder may be moved or deleted under an open file."""
        try:
            found = os.stat(self.path)
        except OSError:
            return False
        return os.path.samestat(found, os.fstat(self._descriptor))

    def write_again(self) -> None:
        """Write all of it once more at its path, from the file that is still open, and go on there."""
        again = os.open(self.path, os.O_CREAT | os.O_EXCL | os.O_RDWR, 0o644)
        size, at = os.fstat(self._descriptor).st_size, 0
        try:
            while at < size:
                at += os.sendfile(again, self._descriptor, at, size - at)
        except OSError:
            os.close(again)
            raise
        os.close(self._descriptor)
        self._descriptor = again

    def __enter__(self) -> "WaveWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _cut(self) -> None:
        os.ftruncate(self._descriptor, self._header_bytes + self.frames * self._frame_bytes)
        self.flush()

    def _header(self) -> bytes:
        data_bytes = self.frames * self._frame_bytes
        is_float = self._packer.depth == "32f"
        bits = 8 * self._frame_bytes // self._channels
        format_body = struct.pack(
            "<HHIIHH",
            _FLOAT if is_float else _PCM,
            self._channels,
            self._rate_hz,
            self._rate_hz * self._frame_bytes,
            self._frame_bytes,
            bits,
        )
        chunks = _chunk(b"bext", self._bext) if self._bext else b""
        chunks += _chunk(b"fmt ", format_body)
        if is_float:
            chunks += _chunk(b"fact", struct.pack("<I", min(self.frames, 0xFFFFFFFF)))
        riff_bytes = 4 + 36 + len(chunks) + 8 + data_bytes + data_bytes % 2
        if riff_bytes > _LARGEST_RIFF_BYTES:
            sizes = struct.pack("<QQQI", riff_bytes, data_bytes, self.frames, 0)
            opening = b"RF64" + struct.pack("<I", 0xFFFFFFFF) + b"WAVE" + _chunk(b"ds64", sizes)
            data_size = 0xFFFFFFFF
        else:
            opening = b"RIFF" + struct.pack("<I", riff_bytes) + b"WAVE" + _chunk(b"JUNK", bytes(28))
            data_size = data_bytes
        return opening + chunks + b"data" + struct.pack("<I", data_size)


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + bytes(len(body) % 2)


def read_bext(path: Path) -> bytes | None:
    """Body of a file's `bext` chunk, or None when it has none; only the headers are read."""
    with path.open("rb") as file:
        opening = file.read(12)
        if opening[:4] not in (b"RIFF", b"RF64") or opening[8:] != b"WAVE":
            return None
        while len(head := file.read(8)) == 8:
            name, size = head[:4], struct.unpack("<I", head[4:])[0]
            if name == b"bext":
                return file.read(size)
            if name == b"data":
                return None
            file.seek(size + size % 2, os.SEEK_CUR)
    return None
