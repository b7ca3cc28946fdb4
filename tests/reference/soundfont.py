"""Sampled notes of a SoundFont 2 file: the samples alone, read by the format's published layout.

SoundFont Technical Specification 2.04 (E-mu/Creative), sections 6.1 and 7.10: `smpl` holds 16-bit words, a record of
`shdr` 46 bytes: name, start, end, loop, rate, original pitch, correction.
"""

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np

GM = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")


@dataclass(frozen=True)
class SampledNote:
    """A sample with its rate; `midi_note` is what its maker says it sounds at."""

    name: str
    rate_hz: int
    midi_note: int
    start: int
    end: int

    def samples(self, path: Path = GM) -> np.ndarray:
        with path.open("rb") as file:
            file.seek(_chunks(path)["smpl"][0] + 2 * self.start)
            words = file.read(2 * (self.end - self.start))
        return np.frombuffer(words, "<i2") / 32768.0


def sampled_notes(path: Path = GM) -> list[SampledNote]:
    """All samples of the file."""
    place, size = _chunks(path)["shdr"]
    notes = []
    with path.open("rb") as file:
        file.seek(place)
        table = file.read(size)
    for record in range(size // 46 - 1):
        name, start, end, _, _, rate_hz, note = struct.unpack_from("<20sIIIIIB", table, 46 * record)
        notes.append(SampledNote(name.split(b"\0")[0].decode("latin-1").strip(), rate_hz, note, start, end))
    return notes


def _chunks(path: Path) -> dict[str, tuple[int, int]]:
    """Place and size of the chunks inside the lists of a RIFF file."""
    found: dict[str, tuple[int, int]] = {}
    with path.open("rb") as file:
        end = path.stat().st_size
        at = 12
        while at + 8 <= end:
            file.seek(at)
            name, size = struct.unpack("<4sI", file.read(8))
            if name == b"LIST":
                at += 12
                continue
            found[name.decode("latin-1")] = (at + 8, size)
            at += 8 + size + size % 2
    return found
