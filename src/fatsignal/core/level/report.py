"""All level figures of a clip at once: what `analyse` prints and a take keeps as its checks."""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Clip, Samples
from fatsignal.core.level.aims import turn_by_db
from fatsignal.core.level.loudness import integrated_loudness_lufs
from fatsignal.core.level.peak import crest_between, extent_of, flat_top_runs
from fatsignal.core.level.true_peak import true_peak_dbtp
from fatsignal.core.units import db_from_amplitude

_PLAYED_WINDOW_S = 0.1
_PLAYED_FLOOR_DB = -30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelReport:
    """Figures of one clip; lists run over its channels, `loudness_lufs` is of all together."""

    rate_hz: int
    channels: int
    frames: int
    peak_dbfs: list[float]
    true_peak_dbtp: list[float]
    rms_dbfs: list[float]
    loudness_lufs: float
    crest_db: list[float]
    dc: list[float]
    flat_top_runs: list[int]


def measure_level(clip: Clip) -> LevelReport:
    """Measure every level figure of `clip`; silence reads ``-inf``, never an error."""
    channels = [clip.channel(index) for index in range(clip.channels)]
    extents = [extent_of(channel) for channel in channels]
    peaks = [db_from_amplitude(extent.peak) for extent in extents]
    averages = [db_from_amplitude(extent.average) for extent in extents]
    return LevelReport(
        rate_hz=clip.rate_hz,
        channels=clip.channels,
        frames=clip.frames,
        peak_dbfs=peaks,
        true_peak_dbtp=[true_peak_dbtp(channel, rate_hz=clip.rate_hz) for channel in channels],
        rms_dbfs=averages,
        loudness_lufs=integrated_loudness_lufs(clip),
        crest_db=[crest_between(peak, average) for peak, average in zip(peaks, averages, strict=True)],
        dc=[extent.direct_offset for extent in extents],
        flat_top_runs=[flat_top_runs(channel, extent) for channel, extent in zip(channels, extents, strict=True)],
    )


def played_average_dbfs(clip: Clip) -> list[float]:
    """RMS over the played parts of each channel: rests say nothing about an input's gain.

    A 100 ms window counts as played when it is within 30 dB of the channel's loudest window.
    """
    averages = []
    for power, played in _played_windows(clip):
        averages.append(10 * math.log10(float(power[played].mean())) if played.any() else -math.inf)
    return averages


def played_share(clip: Clip) -> list[float]:
    """Share of the time in which each channel is played, 0 to 1."""
    return [float(played.mean()) for _, played in _played_windows(clip)]


def _played_windows(clip: Clip) -> Iterator[tuple[Samples, NDArray[np.bool_]]]:
    """Power of each 100 ms window of each channel, and whether it is played."""
    window = max(1, round(_PLAYED_WINDOW_S * clip.rate_hz))
    for index in range(clip.channels):
        signal = clip.channel(index)
        whole = signal[: signal.size // window * window].reshape(-1, window)
        power = np.einsum("ij,ij->i", whole, whole) / window if whole.size else np.zeros(1)
        loudest = float(power.max(initial=0.0))
        yield power, (power >= loudest * 10 ** (_PLAYED_FLOOR_DB / 10)) & (loudest > 0)


def di_advice(average_dbfs: float, peak: float, flat_tops: int) -> str | None:
    """What to change at the DI's input before the next pass, or None when the level is right."""
    if math.isinf(average_dbfs):
        return "nothing arrived: check the cable and the input"
    turn = turn_by_db(average_dbfs, peak, flat_tops)
    if flat_tops:
        return f"flat tops: turn the DI down {-turn} dB, they cannot be undone"
    if turn < 0:
        return f"turn the DI down {-turn} dB"
    return f"turn the DI up {turn} dB: a weak DI makes a thin simulation" if turn > 0 else None
