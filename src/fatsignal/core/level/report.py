"""All level figures of a clip at once: what `analyse` prints and a take keeps as its checks."""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Clip, Samples, check_finite
from fatsignal.core.level.loudness import LoudnessMeter, gated_loudness_lufs, integrated_loudness_lufs
from fatsignal.core.level.peak import Extent, FlatTops, crest_between, extent_of
from fatsignal.core.level.target_levels import turn_by_db
from fatsignal.core.level.true_peak import TruePeak
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
    levels = [
        measure_channel(lambda channel=channel: [channel], rate_hz=clip.rate_hz, frames=clip.frames)  # type: ignore[misc]
        for channel in channels
    ]
    return LevelReport(
        rate_hz=clip.rate_hz,
        channels=clip.channels,
        frames=clip.frames,
        peak_dbfs=[level.peak_dbfs for level in levels],
        true_peak_dbtp=[level.true_peak_dbtp for level in levels],
        rms_dbfs=[level.rms_dbfs for level in levels],
        loudness_lufs=integrated_loudness_lufs(clip) if clip.channels > 1 else levels[0].loudness_lufs,
        crest_db=[level.crest_db for level in levels],
        dc=[level.dc for level in levels],
        flat_top_runs=[level.flat_top_runs for level in levels],
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ChannelLevels:
    """Figures of one channel; `average_dbfs` is over what is played of it."""

    peak_dbfs: float
    true_peak_dbtp: float
    rms_dbfs: float
    average_dbfs: float
    loudness_lufs: float
    crest_db: float
    dc: float
    flat_top_runs: int


def measure_channel(blocks: Callable[[], Iterable[Samples]], *, rate_hz: int, frames: int) -> ChannelLevels:
    """Measure a channel of any length in bounded memory.

    Parameters
    ----------
    blocks : callable
        Gives the channel from its beginning on, in arrays of shape (frames,) of any length. It is called twice: what
        is looked for at the top has to know where the top is.
    frames : int
        How many frames come at most.

    Raises
    ------
    SignalError
        If a sample is not finite.
    """
    extent, played = Extent(0.0, 0.0, 0.0, 0.0, 0), PlayedWindows(rate_hz=rate_hz)
    loudness = LoudnessMeter(rate_hz=rate_hz, most_frames=frames)
    for block in blocks():
        own = extent_of(block)
        if not math.isfinite(own.energy):
            check_finite(block)
        extent = extent.joined(own)
        loudness.push(block[:, None])
        played.push(block)
    true_peak, tops = TruePeak(rate_hz=rate_hz, at_least=extent.peak), FlatTops(extent)
    if extent.peak > 0:
        for block in blocks():
            true_peak.push(block)
            tops.push(block)
    peak, rms = db_from_amplitude(extent.peak), db_from_amplitude(extent.average)
    return ChannelLevels(
        peak_dbfs=peak, true_peak_dbtp=true_peak.dbtp() if extent.peak > 0 else -math.inf, rms_dbfs=rms,
        average_dbfs=played.average_dbfs(), loudness_lufs=gated_loudness_lufs(loudness.block_powers()),
        crest_db=crest_between(peak, rms), dc=extent.direct_offset, flat_top_runs=tops.count,
    )  # fmt: skip


def played_average_dbfs(clip: Clip) -> list[float]:
    """RMS over the played parts of each channel: rests say nothing about an input's gain.

    A 100 ms window counts as played when it is within 30 dB of the channel's loudest window.
    """
    return [_windows_of(clip, index).average_dbfs() for index in range(clip.channels)]


def played_share(clip: Clip) -> list[float]:
    """Share of the time in which each channel is played, 0 to 1."""
    return [_windows_of(clip, index).share() for index in range(clip.channels)]


def _windows_of(clip: Clip, index: int) -> "PlayedWindows":
    windows = PlayedWindows(rate_hz=clip.rate_hz)
    windows.push(clip.channel(index))
    return windows


class PlayedWindows:
    """Powers of the 100 ms windows of a channel that comes block by block."""

    def __init__(self, *, rate_hz: int) -> None:
        self._frames = max(1, round(_PLAYED_WINDOW_S * rate_hz))
        self._powers: list[Samples] = []
        self._rest = np.zeros(0)

    def push(self, block: Samples) -> None:
        """The next frames, shape (frames,)."""
        signal = np.concatenate((self._rest, block)) if self._rest.size else block
        count = signal.size // self._frames
        whole = signal[: count * self._frames].reshape(-1, self._frames)
        if whole.size:
            self._powers.append(np.einsum("ij,ij->i", whole, whole) / self._frames)
        self._rest = signal[count * self._frames :].copy()

    def average_dbfs(self) -> float:
        """Mean power of the windows in which it is played."""
        power, played = self._played()
        return 10 * math.log10(float(power[played].mean())) if played.any() else -math.inf

    def share(self) -> float:
        """Share of the windows in which it is played."""
        return float(self._played()[1].mean())

    def _played(self) -> tuple[Samples, NDArray[np.bool_]]:
        power = np.concatenate(self._powers) if self._powers else np.zeros(1)
        loudest = float(power.max(initial=0.0))
        return power, (power >= loudest * 10 ** (_PLAYED_FLOOR_DB / 10)) & (loudest > 0)


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
