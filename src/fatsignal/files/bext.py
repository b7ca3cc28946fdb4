"""The `bext` chunk of Broadcast WAV: who made a file, when, and where on the time line it lies.

References: EBU Tech 3285 v2 (2011). Version 1 of the chunk is written: description, originator, date and
time reference, an empty UMID, no loudness fields.
"""

import struct
from dataclasses import dataclass, replace
from datetime import datetime

import fatsignal
from fatsignal.core.level.depth import Depth

ORIGINATOR = "Fat Signal"
_LAYOUT = struct.Struct("<256s32s32s10s8sIIH64s190x")


def mono_history(rate_hz: int, depth: Depth) -> str:
    """The coding history of a mono file that this release writes."""
    return f"A=PCM,F={rate_hz},W={depth.removesuffix('f')},M=mono,T=Fat Signal {fatsignal.__version__}\r\n"


@dataclass(frozen=True, slots=True, kw_only=True)
class BextChunk:
    """What a `bext` chunk says; `time_reference_frames` counts from the session's zero."""

    description: str
    originated_at: datetime
    time_reference_frames: int
    originator_reference: str = ""
    coding_history: str = ""

    def of_channels(self, channels: int) -> "BextChunk":
        """The same of a file of one channel or of two."""
        return replace(self, coding_history=self.coding_history.replace("M=mono", "M=stereo")) if channels > 1 else self

    def pack(self) -> bytes:
        """The chunk's body, an even number of bytes; text is cut to its field, never in a character."""
        history = self.coding_history.encode("ascii", "replace")
        body = _LAYOUT.pack(
            _field(self.description, 256),
            _field(ORIGINATOR, 32),
            _field(self.originator_reference, 32),
            self.originated_at.strftime("%Y-%m-%d").encode(),
            self.originated_at.strftime("%H:%M:%S").encode(),
            self.time_reference_frames & 0xFFFFFFFF,
            self.time_reference_frames >> 32,
            1,
            bytes(64),
        )
        return body + history + bytes(len(history) % 2)


def unpack_bext(body: bytes) -> BextChunk:
    """Read the body of a `bext` chunk; an impossible date becomes the first of the year 1."""
    description, _, reference, date, time, low, high, _, _ = _LAYOUT.unpack(body[: _LAYOUT.size])
    try:
        stamp = datetime.fromisoformat(f"{_text(date)}T{_text(time).replace('-', ':')}")
    except ValueError:
        stamp = datetime.min
    return BextChunk(
        description=_text(description),
        originated_at=stamp,
        time_reference_frames=low | high << 32,
        originator_reference=_text(reference),
        coding_history=_text(body[_LAYOUT.size :]),
    )


def _field(text: str, size: int) -> bytes:
    """ASCII as the standard asks; what ASCII lacks becomes a question mark."""
    return text.encode("ascii", "replace")[:size]


def _text(field: bytes) -> str:
    return field.split(b"\0", 1)[0].decode("ascii", "replace").strip()
