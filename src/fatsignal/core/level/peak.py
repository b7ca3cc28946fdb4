"""Sample peak, RMS, crest factor, direct offset and flat tops of one channel."""

import math
from dataclasses import dataclass

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.units import db_from_amplitude

# Three equal samples at the same extreme are what a clipping converter leaves; two happen by chance.
FLAT_TOP_FRAMES = 3
# A flat top below this is a rest or a quiet square wave, not an overload.
FLAT_TOP_FLOOR = 10 ** (-6 / 20)


def peak_dbfs(signal: Samples) -> float:
    """Largest sample of `signal`, shape (frames,), in dBFS; ``-inf`` for silence."""
    return db_from_amplitude(extent_of(signal).peak)


def rms_dbfs(signal: Samples) -> float:
    """Root mean square in dB against a full-scale *value* of 1.0: a full-scale sine reads −3.01."""
    return db_from_amplitude(extent_of(signal).average)


@dataclass(frozen=True, slots=True)
class Extent:
    """How far a channel reaches: its largest and smallest sample, their sum and the sum of their squares."""

    highest: float
    lowest: float
    total: float
    energy: float
    frames: int

    def joined(self, other: "Extent") -> "Extent":
        """Of this and what comes after it."""
        if not self.frames or not other.frames:
            return self if self.frames else other
        return Extent(
            max(self.highest, other.highest), min(self.lowest, other.lowest), self.total + other.total,
            self.energy + other.energy, self.frames + other.frames,
        )  # fmt: skip

    @property
    def peak(self) -> float:
        return max(self.highest, -self.lowest)

    @property
    def average(self) -> float:
        """Root mean square."""
        return math.sqrt(self.energy / self.frames) if self.frames else 0.0

    @property
    def direct_offset(self) -> float:
        """Mean of the samples: what a bad input adds as direct voltage; full scale is 1.0."""
        return self.total / self.frames if self.frames else 0.0


def extent_of(signal: Samples) -> Extent:
    """All of it in one pass over `signal`, shape (frames,): long takes are slow to fetch, not to add up."""
    highest, lowest, total, energy = _extent(np.ascontiguousarray(signal)) if len(signal) else (0.0, 0.0, 0.0, 0.0)
    return Extent(highest, lowest, total, energy, len(signal))


@njit(cache=True, fastmath=True, nogil=True)
def _extent(signal):
    highest, lowest, total, energy = signal[0], signal[0], 0.0, 0.0
    for sample in signal:
        highest, lowest = max(highest, sample), min(lowest, sample)
        total += sample
        energy += sample * sample
    return highest, lowest, total, energy


def peaks_and_averages(samples: Samples) -> tuple[Samples, Samples]:
    """Largest magnitude and root mean square of every channel of `samples`, shape (frames, channels), in one pass."""
    peaks, squares = np.zeros(samples.shape[1]), np.zeros(samples.shape[1])
    _add_up(samples, peaks, squares)
    return peaks, np.sqrt(squares / max(1, len(samples)))


@njit(cache=True, nogil=True)
def _add_up(samples, peaks, squares):
    for frame in range(samples.shape[0]):
        for channel in range(samples.shape[1]):
            sample = samples[frame, channel]
            peaks[channel] = max(peaks[channel], abs(sample))
            squares[channel] += sample * sample


def crest_db(signal: Samples) -> float:
    """Peak over RMS; 3.01 dB for a sine, 0 for silence, which has neither."""
    return crest_between(peak_dbfs(signal), rms_dbfs(signal))


def crest_between(peak: float, average: float) -> float:
    """The crest of what has this peak and RMS, both in dBFS."""
    return peak - average if np.isfinite(average) else 0.0


def flat_top_runs(signal: Samples, extent: Extent | None = None) -> int:
    """Count the runs of three or more equal samples at the extremes: flat tops cannot be undone.

    A run counts where the samples lie within one step of 16 bits of the channel's own
    maximum or minimum, and that extreme is above −6 dBFS. So an overload that a later fader has turned
    down a little is still found. `extent` is that of the signal, where it is known already.
    """
    found = FlatTops(extent or extent_of(signal))
    found.push(signal)
    return found.count


def flat_tops(signal: Samples, extent: Extent | None = None) -> list[int]:
    """First frames of all flat tops, as `flat_top_runs` counts them, in order."""
    found = FlatTops(extent or extent_of(signal), most_places=len(signal) // FLAT_TOP_FRAMES + 1)
    found.push(signal)
    return found.places


class FlatTops:
    """Flat tops of a channel that comes block by block; how far all of it reaches has to be known before.

    `places` are the first frames of the first so many, in order.
    """

    def __init__(self, extent: Extent, *, most_places: int = 0) -> None:
        self._sides = [
            _Side(sign, top - _STEP, np.zeros(most_places, dtype=np.int64))
            for sign, top in ((1.0, extent.highest), (-1.0, -extent.lowest))
            if top >= FLAT_TOP_FLOOR
        ]
        self._frames = 0

    def push(self, block: Samples) -> None:
        """The next frames, shape (frames,)."""
        for side in self._sides:
            side.run, side.count, side.before = _find_runs(
                np.ascontiguousarray(block), side.sign, side.threshold, side.run, side.count, side.before,
                side.places, self._frames,
            )  # fmt: skip
        self._frames += len(block)

    @property
    def count(self) -> int:
        return sum(side.count for side in self._sides)

    @property
    def places(self) -> list[int]:
        return sorted(place for side in self._sides for place in side.places[: side.count].tolist())


_STEP = 2.0**-15


@dataclass(slots=True)
class _Side:
    """One of the two extremes; `run` is the length of the run that is under way, `before` the sample before."""

    sign: float
    threshold: float
    places: "np.ndarray[tuple[int], np.dtype[np.int64]]"
    run: int = 0
    count: int = 0
    before: float = 0.0


@njit(cache=True, nogil=True)
def _find_runs(block, sign, threshold, run, count, before, places, first_frame):
    """Runs of samples at the top, each like the one before it; a run counts when it has its third."""
    for index in range(len(block)):
        sample = sign * block[index]
        if sample >= threshold:
            if run and abs(sample - before) < 2.0**-16:
                run += 1
                if run == 3:
                    if count < len(places):
                        places[count] = first_frame + index - 2
                    count += 1
            else:
                run = 1
        else:
            run = 0
        before = sample
    return run, count, before
