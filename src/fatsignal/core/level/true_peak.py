"""True peak: the highest point of the wave between the samples."""

from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.lowpass import windowed_sinc
from fatsignal.core.units import db_from_amplitude

_TAPS_PER_PHASE = 24
# Pieces that are looked at, or passed over, as one.
_PIECE_FRAMES = 128


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
    return db_from_amplitude(float(_highest(np.ascontiguousarray(signal), phases, _bound(phases), _PIECE_FRAMES)))


@lru_cache
def _phases(factor: int) -> NDArray[np.float32]:
    """A linear-phase low-pass at half the base rate, gain `factor`, side lobes about −80 dB, as one filter for each
    place between two samples; shape (factor, taps).
    """
    taps = factor * windowed_sinc(0.98 / factor, np.kaiser(_TAPS_PER_PHASE * factor + 1, 8.0))
    padded = np.concatenate((taps, np.zeros(factor - 1)))
    return np.ascontiguousarray(padded.reshape(-1, factor).T[:, ::-1], dtype=np.float32)


def _bound(phases: NDArray[np.float32]) -> np.float32:
    """How far a point between samples can exceed the largest sample around it: no more than the sum of the taps."""
    return np.float32(1.0001 * np.abs(phases).sum(axis=1).max())


@numba.njit(cache=True, fastmath=True, nogil=True)
def _highest(signal, phases, bound, piece_frames):
    """The largest magnitude of the interpolated wave; what lies beyond the ends of `signal` is silence.

    Where even the bound stays below what was found, nothing is computed: of plucked strings most pieces. What is
    computed is so in single precision, which errs by a millionth of a dB.
    """
    count, taps = phases.shape
    size = len(signal)
    outputs = size + taps
    sums, around = np.empty(piece_frames, dtype=np.float32), np.empty(piece_frames + taps - 1, dtype=np.float32)
    # The loudest piece first: what it gives lets most of the others be passed over.
    pieces = (outputs + piece_frames - 1) // piece_frames
    own = np.zeros(pieces)
    for piece in range(pieces):
        top = 0.0
        for sample in signal[piece * piece_frames : min((piece + 1) * piece_frames, size)]:
            top = max(top, abs(sample))
        own[piece] = top
    # Output n is made of the samples n - taps + 1 to n: those of its own piece and of the end of the one before.
    peak, loudest = np.float32(own.max()), np.empty(pieces)
    for piece in range(pieces):
        loudest[piece] = max(own[piece], own[piece - 1] if piece else 0.0)
    for piece in np.argsort(-loudest):
        if loudest[piece] * bound <= peak:
            break
        start = piece * piece_frames
        frames = min(piece_frames, outputs - start)
        for index in range(frames + taps - 1):
            at = start + index - taps + 1
            around[index] = signal[at] if 0 <= at < size else 0.0
        # Four taps at once, and the last of 4k + 1 by itself.
        for phase in range(count):
            sums[:frames] = 0
            for tap in range(0, taps - 1, 4):
                a, b, c, d = phases[phase, tap], phases[phase, tap + 1], phases[phase, tap + 2], phases[phase, tap + 3]
                one, two = around[tap : tap + frames], around[tap + 1 : tap + 1 + frames]
                three, four = around[tap + 2 : tap + 2 + frames], around[tap + 3 : tap + 3 + frames]
                for index in range(frames):
                    sums[index] += a * one[index] + b * two[index] + c * three[index] + d * four[index]
            last, final = phases[phase, taps - 1], around[taps - 1 : taps - 1 + frames]
            for index in range(frames):
                peak = max(peak, abs(sums[index] + last * final[index]))
    return peak
