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
        size = PARTITION_FRAMES
        # The partition that is being filled, then whole ones at once, then the beginning of the next.
        first = min(size - self._filled, signal.size)
        whole = first + (signal.size - first) // size * size
        pieces = [self._fill(signal[:first])]
        if whole > first:
            pieces.append(self._run_whole(signal[first:whole]))
        if signal.size > whole:
            pieces.append(self._fill(signal[whole:]))
        return np.concatenate(pieces)

    def _fill(self, signal: Samples) -> Samples:
        """Frames of one partition; when it is full, the tail of the next is computed."""
        size = PARTITION_FRAMES
        start = size + self._filled
        self._window[start : start + signal.size] = signal
        direct = _direct(self._window, self._head, start, signal.size)
        out = direct + self._tail[self._filled : self._filled + signal.size]
        self._filled += signal.size
        if self._filled == size:
            self._tail = self._tails(self._window[None, :])[0]
            self._window[:size] = self._window[size:]
            self._filled = 0
        return np.asarray(out)

    def _run_whole(self, signal: Samples) -> Samples:
        """Whole partitions, with one call of the FFT for all: its sums are those of one call for each."""
        size = PARTITION_FRAMES
        joined = np.concatenate((self._window[:size], signal))
        out = np.asarray(_direct(joined, self._head, size, signal.size))
        tails = self._tails(np.lib.stride_tricks.sliding_window_view(joined, 2 * size)[::size])
        out[:size] += self._tail
        out[size:] += tails[:-1].ravel()
        self._tail = tails[-1].copy()
        self._window[:size] = joined[-size:]
        return out

    def _tails(self, windows: Samples) -> Samples:
        """What the tail of the response adds after each window, shape (windows, PARTITION_FRAMES); overlap-save."""
        if not len(self._tail_spectra):
            return np.zeros((len(windows), PARTITION_FRAMES))
        spectra = np.fft.rfft(windows, axis=1)
        totals = np.empty_like(spectra)
        for index, spectrum in enumerate(spectra):
            self._newest = (self._newest - 1) % len(self._line)
            self._line[self._newest] = spectrum
            totals[index] = _sum_products(self._line, self._tail_spectra, self._newest)
        return np.asarray(np.fft.irfft(totals, axis=1)[:, PARTITION_FRAMES:])


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
