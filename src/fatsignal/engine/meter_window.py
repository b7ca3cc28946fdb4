"""Levels and wave columns of what arrived since the last message, and when the next one is due."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.level.peak import peaks_and_averages
from fatsignal.core.level.waveform_peaks import columns
from fatsignal.core.units import db_from_amplitude
from fatsignal.engine.events import Meters

FRAMES_PER_COLUMN = 1024
METER_HZ = 30


@dataclass(frozen=True, slots=True)
class Levels:
    """One message's worth; lists run over the channels."""

    peak_dbfs: list[float]
    average_dbfs: list[float]
    first_column: int
    columns: list[list[tuple[int, int]]]

    def told(self, roll_id: UUID, *, frame: int, bar: int, beat: int, **more: Any) -> Meters:
        """As a message; `more` are its other fields."""
        return Meters(
            roll_id=roll_id, frame=frame, bar=bar, beat=beat, peak_dbfs=self.peak_dbfs, average_dbfs=self.average_dbfs,
            frames_per_column=FRAMES_PER_COLUMN, first_column=self.first_column, columns=self.columns, **more,
        )  # fmt: skip


class Interval:
    """When it is time again: counted on from when it was due, so that blocks of any size keep the rate."""

    def __init__(self, every_frames: int) -> None:
        self._every_frames = self._next_frame = every_frames

    def due(self, at_frame: int) -> bool:
        """Whether it is time by this frame; then the next time is one step on."""
        if at_frame < self._next_frame:
            return False
        self._next_frame += self._every_frames
        return True


class MeterWindow:
    """Blocks since the last message, and those not yet drawn as columns; without `draws`, levels alone."""

    def __init__(self, channels: int, *, draws: bool = True) -> None:
        self._channels, self._draws = channels, draws
        self._recent: list[Samples] = []
        self.begin()

    def begin(self) -> None:
        """A new pass: its columns are counted from 0."""
        self._undrawn = np.zeros((0, self._channels))
        self._drawn_columns = 0

    def add(self, block: Samples) -> None:
        """What arrived, shape (frames, channels)."""
        self._recent.append(block)

    def take(self) -> Levels:
        """Everything since the last time; at least one block has been added."""
        recent = np.concatenate(self._recent)
        self._recent.clear()
        waiting = np.concatenate((self._undrawn, recent)) if self._draws else self._undrawn
        whole = len(waiting) // FRAMES_PER_COLUMN
        ready, self._undrawn = waiting[: whole * FRAMES_PER_COLUMN], waiting[whole * FRAMES_PER_COLUMN :]
        first, self._drawn_columns = self._drawn_columns, self._drawn_columns + whole
        # All channels at once: a loop over them would cost more than everything else at 24 channels.
        peaks, averages = peaks_and_averages(recent)
        return Levels(
            [_shown(db_from_amplitude(float(peak))) for peak in peaks],
            [_shown(db_from_amplitude(float(average))) for average in averages],
            first,
            columns(ready, frames_per_column=FRAMES_PER_COLUMN).tolist() if whole else [[]] * self._channels,
        )


def _shown(level_dbfs: float) -> float:
    """Silence as the bottom of the meter: JSON has no minus infinity."""
    return round(max(level_dbfs, -120.0), 2)
