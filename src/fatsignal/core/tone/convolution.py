"""Convolution with an impulse response, without latency, the same at every block size.

The first part of the response is applied directly, the rest in equal partitions by FFT. Partitions
are cut by the absolute frame number, not by the caller's blocks, so the sums are the same
whatever comes in.
"""

import numpy as np
from numba import njit

from fatsignal.core.clip import Samples

PARTITION_FRAMES = 256


class Convolver:
    """A running convolution with one impulse response, shape (frames,)."""

    def __init__(self, response: Samples) -> None:
        size = PARTITION_FRAMES
        partitions = max(1, -(-len(response) // size))
        padded = np.zeros(partitions * size)
        padded[: len(response)] = response
        self._head = padded[:size].copy()
        blocks = padded[size:].reshape(-1, size)
        self._tail_spectra = np.fft.rfft(blocks, 2 * size, axis=1)
        self._line = np.zeros((max(1, len(blocks)), size + 1), dtype=np.complex128)
        self._newest = 0
        self._window = np.zeros(2 * size)
        self._filled = 0
        self._tail = np.zeros(size)

    def process(self, signal: Samples) -> Samples:
        """Convolve `signal`, shape (frames,); state goes on to the next call."""
        out = np.empty_like(signal)
        done = 0
        while done < signal.size:
            take = min(PARTITION_FRAMES - self._filled, signal.size - done)
            start = PARTITION_FRAMES + self._filled
            self._window[start : start + take] = signal[done : done + take]
            direct = _direct(self._window, self._head, start, take)
            out[done : done + take] = direct + self._tail[self._filled : self._filled + take]
            self._filled += take
            done += take
            if self._filled == PARTITION_FRAMES:
                self._turn()
        return out

    def _turn(self) -> None:
        """A partition is full: compute what the tail adds to the next one (overlap-save)."""
        size = PARTITION_FRAMES
        if len(self._tail_spectra):
            count = len(self._line)
            self._newest = (self._newest - 1) % count
            self._line[self._newest] = np.fft.rfft(self._window)
            total = _sum_products(self._line, self._tail_spectra, self._newest)
            self._tail = np.fft.irfft(total)[size:]
        self._window[:size] = self._window[size:]
        self._filled = 0


@njit(cache=True, nogil=True)
def _direct(window, head, start, frames):
    """y[n] = Σ_k head[k] x[n-k] for the frames that just came in."""
    out = np.zeros(frames)
    for k in range(head.size):
        tap = head[k]
        # A slice, not a sum of indices: numba then knows that no index is negative.
        shifted = window[start - k :]
        for n in range(frames):
            out[n] += tap * shifted[n]
    return out


@njit(cache=True, nogil=True)
def _sum_products(line, spectra, newest):
    """Σ_k line[newest + k] * spectra[k], elementwise over the bins."""
    count, bins = line.shape
    total = np.zeros(bins, dtype=np.complex128)
    for k in range(count):
        row = (newest + k) % count
        for j in range(bins):
            total[j] += line[row, j] * spectra[k, j]
    return total
