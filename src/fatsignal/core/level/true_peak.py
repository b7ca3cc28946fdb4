"""True peak: the highest point of the wave between the samples."""

from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.signal import firwin

from fatsignal.core.clip import Samples
from fatsignal.core.units import db_from_amplitude

_TAPS_PER_PHASE = 24
# Pieces that are looked at, or passed over, as one.
_PIECE_FRAMES = 512


def true_peak_dbtp(signal: Samples, *, rate_hz: int) -> float:
    """Measure the true peak of `signal`, shape (frames,), in dBTP; ``-inf`` for silence.

    The wave is oversampled to at least 192 kHz, as Annex 2 of the recommendation asks for
    (4 times at 48 kHz), here 8 times up to 96 kHz, so that the reading is at most 0.17 dB low
    at half the rate's 0.45.

    References
    ----------
    .. [1] ITU-R BS.1770-5 (2023), Annex 2.
    """
    if signal.size == 0:
        return -np.inf
    phases = _phases(8 if rate_hz <= 96_000 else 4)
    peak = max(float(signal.max()), -float(signal.min()))
    # What lies beyond the ends is silence. Single precision errs by a millionth of a dB.
    padded = np.zeros(len(signal) + 2 * _TAPS_PER_PHASE, dtype=np.float32)
    padded[_TAPS_PER_PHASE:-_TAPS_PER_PHASE] = signal
    return db_from_amplitude(float(_highest(padded, phases, np.float32(peak), _bound(phases), _PIECE_FRAMES)))


@lru_cache
def _phases(factor: int) -> NDArray[np.float32]:
    """A linear-phase low-pass at half the base rate, gain `factor`, side lobes about −80 dB, as one filter for each
    place between two samples; shape (factor, taps).
    """
    taps = factor * firwin(_TAPS_PER_PHASE * factor + 1, 0.98 / factor, window=("kaiser", 8.0))
    padded = np.concatenate((taps, np.zeros(factor - 1)))
    return np.ascontiguousarray(padded.reshape(-1, factor).T[:, ::-1], dtype=np.float32)


def _bound(phases: NDArray[np.float32]) -> np.float32:
    """How far a point between samples can exceed the largest sample around it: no more than the sum of the taps."""
    return np.float32(1.0001 * np.abs(phases).sum(axis=1).max())


@numba.njit(cache=True, fastmath=True, nogil=True)
def _highest(padded, phases, peak, bound, piece_frames):
    """The largest magnitude of the interpolated wave.

    Where even the bound stays below what was found, nothing is computed: of plucked strings most pieces.
    """
    count, taps = phases.shape
    outputs = len(padded) - taps + 1
    sums = np.empty(piece_frames, dtype=np.float32)
    # The loudest piece first: what it gives lets most of the others be passed over.
    pieces = (outputs + piece_frames - 1) // piece_frames
    loudest = np.empty(pieces, dtype=np.float32)
    for piece in range(pieces):
        start = piece * piece_frames
        top = np.float32(0)
        for index in range(start, min(start + piece_frames, outputs) + taps - 1):
            top = max(top, abs(padded[index]))
        loudest[piece] = top
    for piece in np.argsort(-loudest):
        if loudest[piece] * bound <= peak:
            break
        start = piece * piece_frames
        frames = min(piece_frames, outputs - start)
        # Four taps at once, and the last of 4k + 1 by itself.
        for phase in range(count):
            sums[:frames] = 0
            for tap in range(0, taps - 1, 4):
                a, b, c, d = phases[phase, tap], phases[phase, tap + 1], phases[phase, tap + 2], phases[phase, tap + 3]
                at = start + tap
                one, two = padded[at : at + frames], padded[at + 1 : at + 1 + frames]
                three, four = padded[at + 2 : at + 2 + frames], padded[at + 3 : at + 3 + frames]
                for index in range(frames):
                    sums[index] += a * one[index] + b * two[index] + c * three[index] + d * four[index]
            last, final = phases[phase, taps - 1], padded[start + taps - 1 : start + taps - 1 + frames]
            for index in range(frames):
                peak = max(peak, abs(sums[index] + last * final[index]))
    return peak
