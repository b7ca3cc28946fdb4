"""What a buffer has of the delay through which a player hears the instrument, and how that feels."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

# Delay of a monitor path as it is felt; common practice, no source.
COMFORTABLE_MS, FELT_MS = 10.0, 30.0

Feel = Literal["comfortable", "felt", "unplayable"]


@dataclass(frozen=True, slots=True)
class BufferRow:
    """A buffer size, the monitoring delay that it leads to, and how that feels."""

    buffer_frames: int
    buffer_ms: float
    round_trip_ms: float
    feel: Feel


def buffer_table(
    round_trip_frames: float, *, at_buffer_frames: int, rate_hz: int, sizes: Sequence[int]
) -> list[BufferRow]:
    """What other buffer sizes would give: a round trip holds the buffer twice, the rest stays.

    The buffer's own delay is frames over rate: 384 at 48 kHz are 8 ms.
    """
    fixed = round_trip_frames - 2 * at_buffer_frames
    rows = []
    for size in sizes:
        total_ms = 1000 * (fixed + 2 * size) / rate_hz
        rows.append(BufferRow(size, 1000 * size / rate_hz, total_ms, feel_of(total_ms)))
    return rows


def feel_of(delay_ms: float) -> Feel:
    """How a monitoring delay feels to who plays: up to 10 ms comfortable, up to 30 ms felt, beyond unplayable."""
    if delay_ms <= COMFORTABLE_MS:
        return "comfortable"
    return "felt" if delay_ms <= FELT_MS else "unplayable"
