"""Writing finished sound: Broadcast WAV at 16, 24 or 32-float, and FLAC."""

from collections.abc import Iterable
from pathlib import Path
from typing import Literal

import soundfile

from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth, WordPacker
from fatsignal.errors import InvalidSetting
from fatsignal.files.bext import BextChunk
from fatsignal.files.wave_writer import WaveWriter

FileKind = Literal["wav", "flac"]


def kind_of(path: Path) -> FileKind:
    """Kind of file that a name asks for."""
    match path.suffix.lower():
        case ".wav" | ".bwf":
            return "wav"
        case ".flac":
            return "flac"
        case _:
            raise InvalidSetting(f"{path.name} should end in .wav or .flac: those are written")


def check_depth(kind: FileKind, depth: Depth) -> None:
    """Refuse a depth that a kind of file does not hold."""
    if kind == "flac" and depth == "32f":
        raise InvalidSetting("FLAC holds 16 or 24 bits; choose WAV for 32-bit float")


def write_sound(
    path: Path,
    blocks: Iterable[Samples],
    *,
    rate_hz: int,
    channels: int,
    depth: Depth = "24",
    note: BextChunk | None = None,
) -> int:
    """Write blocks of shape (frames, channels) to a new file; returns the frames written.

    FLAC holds 16 or 24 bits. Nothing is left behind when writing or the source of the blocks fails.
    """
    kind = kind_of(path)
    check_depth(kind, depth)
    try:
        if kind == "wav":
            with WaveWriter(path, rate_hz=rate_hz, channels=channels, depth=depth, note=note) as writer:
                for block in blocks:
                    writer.write(block)
                return writer.frames
        packer = WordPacker(depth)
        subtype = {"16": "PCM_16", "24": "PCM_24"}[depth]
        with soundfile.SoundFile(path, "x", rate_hz, channels, subtype=subtype, format="FLAC") as flac:
            if note:
                flac.comment = note.description
                flac.date = note.originated_at.isoformat()
            shift = 16 if depth == "16" else 8
            for block in blocks:
                flac.write(packer.words(block) << shift)
            return int(flac.frames)
    except FileExistsError:
        raise InvalidSetting(f"{path.name} exists already: choose another name") from None
    except BaseException:
        path.unlink(missing_ok=True)
        raise
