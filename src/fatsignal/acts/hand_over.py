"""Handing over: the channels of takes and the chosen prints, aligned and named, in one ZIP of open files."""

import io
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Literal

from fatsignal.core.level.depth import Depth
from fatsignal.core.material.channels import Wanted
from fatsignal.core.song.questions import tempo_in_words
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused, SettingRefused
from fatsignal.files.bext import BroadcastNote
from fatsignal.files.material_files import MaterialOnDisk, open_recorded
from fatsignal.files.names import file_name
from fatsignal.files.sound_writer import FileKind, write_sound
from fatsignal.store.sessions import Session

_READ_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class Item:
    """One file to hand over: a channel of a material, and what it is called."""

    sounds: MaterialOnDisk
    wanted: Wanted
    name: str
    recorded_at: datetime
    says: str

    @property
    def from_frame(self) -> int:
        """Where on the song it begins."""
        return self.sounds.material.first_frame

    @property
    def frames(self) -> int:
        return self.sounds.material.frames


def stream_zip(
    session: Session, items: list[Item], *, kind: FileKind, depth: Depth, start: Literal["song", "own"]
) -> Iterator[bytes]:
    """The ZIP in pieces, so that a browser saves it while it is made; memory does not grow with its size.

    Parameters
    ----------
    start : "song" or "own"
        "song": every file begins at the session's zero and all are equally long, so that they line up when dropped
        at zero. "own": each begins where it was recorded. The time stamp is right either way.
    """
    if not items:
        raise SettingRefused("nothing is chosen to hand over: choose a channel or a print")
    if kind == "flac" and depth == "32f":
        raise SettingRefused("FLAC holds 16 or 24 bits; choose WAV for 32-bit float")
    for item in items:
        for file in item.sounds.files_of(item.wanted):
            try:
                open_recorded(file.path).close()
            except FileRefused as refusal:
                raise FileRefused(f"{refusal}, or leave it out") from None
    return _pieces(session, items, kind, depth, start)


def _pieces(
    session: Session, items: list[Item], kind: FileKind, depth: Depth, start: Literal["song", "own"]
) -> Iterator[bytes]:
    folder = file_name(session.name)
    end = max(item.from_frame + item.frames for item in items)
    out = _Pipe()
    taken: set[str] = set()
    with TemporaryDirectory(prefix="fatsignal-") as scratch, zipfile.ZipFile(out, "w") as archive:
        for item in items:
            name = _unique(f"{file_name(item.name)}.{kind}", taken)
            target = Path(scratch) / f"out.{kind}"
            note = BroadcastNote(
                description=f"{session.name}: {item.name}",
                originated_at=item.recorded_at,
                time_reference_frames=0 if start == "song" else item.from_frame,
            )
            span = Window(0, end) if start == "song" else item.sounds.material.span
            with item.sounds.reader() as reader:
                blocks = (block[:, None] for block in reader.blocks(item.wanted, span))
                write_sound(target, blocks, rate_hz=session.rate_hz, channels=1, depth=depth, note=note)
            with target.open("rb") as file, archive.open(f"{folder}/{name}", "w", force_zip64=True) as entry:
                while piece := file.read(_READ_BYTES):
                    entry.write(piece)
                    yield out.take()
            target.unlink()
        archive.writestr(f"{folder}/About these files.txt", _about(session, items, kind, depth, start))
        yield out.take()
    yield out.take()


def _about(session: Session, items: list[Item], kind: FileKind, depth: Depth, start: str) -> str:
    bits = "32-bit float" if depth == "32f" else f"{depth}-bit"
    bar_one_s = session.tempo.bar_frame(1) / session.rate_hz
    place = (
        "All files begin at the same moment and are equally long: drop them at zero."
        if start == "song"
        else "Each file begins where it was recorded: place it by its time stamp (bext; in seconds below)."
    )
    lines = [
        f"{session.name}{f' by {session.artist}' if session.artist else ''}",
        f"{kind.upper()}, {bits}, {session.rate_hz} Hz, mono. {tempo_in_words(session.tempo)}.",
        f"Bar 1 begins {bar_one_s:.6f} s after the zero of the time line.",
        place,
        "",
    ]
    for item in items:
        at_s = item.from_frame / session.rate_hz
        lines.append(f"{item.name}: recorded from {at_s:.6f} s ({item.from_frame} samples). {item.says}")
    return "\n".join(lines) + "\n"


def _unique(name: str, taken: set[str]) -> str:
    stem, _, ending = name.rpartition(".")
    candidate, number = name, 2
    while candidate.lower() in taken:
        candidate, number = f"{stem} ({number}).{ending}", number + 1
    taken.add(candidate.lower())
    return candidate


class _Pipe(io.RawIOBase):
    """A file that only goes forward: what is written waits until it is taken."""

    def __init__(self) -> None:
        super().__init__()
        self._waiting = bytearray()
        self._position = 0

    def writable(self) -> bool:
        return True

    def write(self, data: "bytes | bytearray | memoryview") -> int:  # type: ignore[override]
        piece = bytes(data)
        self._waiting += piece
        self._position += len(piece)
        return len(piece)

    def tell(self) -> int:
        return self._position

    def seekable(self) -> bool:
        return False

    def take(self) -> bytes:
        taken = bytes(self._waiting)
        self._waiting.clear()
        return taken
