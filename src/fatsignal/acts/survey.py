"""Looking at what was recorded, brought in or printed: checksums, level checks, the columns its wave is drawn from.

All of it in bounded memory, however long it is: short channels are kept while they are looked at, long ones read again.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain
from typing import Any

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.json_values import json_ready
from fatsignal.core.level.report import di_advice, measure_channel
from fatsignal.core.level.waveform_peaks import BASE_FRAMES, Columns, columns
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.reader import BLOCK_FRAMES, MaterialReader
from fatsignal.core.takes.windows import Window
from fatsignal.errors import FileRefused, SignalError
from fatsignal.files.material_files import MaterialOnDisk, sha256_of

# Five minutes at 48 kHz: 115 MB.
_KEPT_FRAMES = 14_400_000


class ChannelPass:
    """One channel of a material, to be gone through several times."""

    def __init__(self, reader: MaterialReader, wanted: Wanted) -> None:
        self._reader, self._wanted = reader, wanted
        self._span = span = reader.material.span
        self._kept = reader.read(wanted, span.from_frame, span.frames) if span.frames <= _KEPT_FRAMES else None

    def blocks(self, span: Window) -> Iterator[Samples]:
        """A stretch of it, block by block."""
        if self._kept is None:
            yield from self._reader.blocks(self._wanted, span)
            return
        for start in range(span.from_frame, span.to_frame, BLOCK_FRAMES):
            stop = min(start + BLOCK_FRAMES, span.to_frame)
            yield self._kept[start - self._span.from_frame : stop - self._span.from_frame]

    def checks(self, windows: Sequence[Window], *, kind: str) -> dict[str, Any]:
        """Level figures over some windows of the session, as JSON; all of it where none is given.

        Minus infinity, which JSON lacks, becomes null.
        """
        spans = windows or (self._span,)

        def blocks() -> Iterable[Samples]:
            return chain.from_iterable(self.blocks(span) for span in spans)

        levels = measure_channel(
            blocks, rate_hz=self._reader.material.rate_hz, frames=sum(span.frames for span in spans)
        )
        advice = di_advice(levels.average_dbfs, levels.peak_dbfs, levels.flat_top_runs) if kind == "di" else None
        shown = {
            "peak_dbfs": levels.peak_dbfs,
            "true_peak_dbtp": levels.true_peak_dbtp,
            "average_dbfs": levels.average_dbfs,
            "loudness_lufs": levels.loudness_lufs,
            "crest_db": levels.crest_db,
        }
        return {
            **json_ready(shown, digits=3),
            "dc": levels.dc,
            "flat_top_runs": levels.flat_top_runs,
            "advice": advice,
        }

    def columns(self) -> Columns:
        """The finest columns of its wave, shape (1, columns, 2)."""
        return np.concatenate(
            [columns(block[:, None], frames_per_column=BASE_FRAMES) for block in self.blocks(self._span)], axis=1
        )


@dataclass(frozen=True, slots=True)
class Surveyed:
    """What is known of a material's channels, in their order; `waves` has shape (channels, columns, 2)."""

    checks: list[dict[str, Any]]
    checksums: list[str]
    waves: Columns


def survey(on_disk: MaterialOnDisk, *, windows: Sequence[Window] = ()) -> Surveyed:
    """Look at every channel of a material, each of which is one file; `windows` limit the checks.

    Raises
    ------
    FileRefused
        If a file is gone, or holds samples that are not numbers.
    """
    checks, waves = [], []
    with on_disk.reader() as reader:
        for channel in reader.material.channels:
            read = ChannelPass(reader, Wanted.exactly(channel))
            try:
                checks.append(read.checks(windows, kind=channel.kind))
            except SignalError as problem:
                raise FileRefused(f"{channel.name}: {problem}; export it again") from None
            waves.append(read.columns())
    return Surveyed(checks, [sha256_of(file.path) for file in on_disk.files], np.concatenate(waves))
