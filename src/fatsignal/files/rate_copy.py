"""The same sound at another rate, written while it passes by."""

from collections.abc import Iterable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.level.depth import Depth
from fatsignal.files.bext import BextChunk
from fatsignal.files.sound import RateConverter
from fatsignal.files.wave_writer import WaveWriter


def copied_at(
    path: Path, blocks: Iterable[Samples], *, rate_hz: int, to_hz: int, channels: int, depth: Depth,
    note: BextChunk | None = None,
) -> Iterator[Samples]:  # fmt: skip
    """Hand on blocks of shape (frames, channels) as they are, and write them at `to_hz` to the new file `path`.

    `note` is that of the blocks: its rate and its place in the song are told in the copy's own frames. Where the blocks
    end in an error, or nobody fetches the rest, no file is left.
    """
    copy_note = note and replace(
        note,
        time_reference_frames=round(note.time_reference_frames * to_hz / rate_hz),
        coding_history=note.coding_history.replace(f"F={rate_hz}", f"F={to_hz}"),
    )
    converter = RateConverter(rate_hz, to_hz, channels)
    try:
        with WaveWriter(path, rate_hz=to_hz, channels=channels, depth=depth, note=copy_note) as writer:
            for block in blocks:
                writer.write(converter.convert(np.ascontiguousarray(block)))
                yield block
            writer.write(converter.rest())
    except BaseException:
        path.unlink(missing_ok=True)
        raise
