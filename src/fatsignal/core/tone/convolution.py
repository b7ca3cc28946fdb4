"""Convolution with an impulse response, without latency, the same at every block size.

The first part of the response is applied directly, the rest in equal partitions by FFT. Partitions
are cut by the absolute frame number, not by the caller's blocks, so the sums are the same
whatever comes in.
"""

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

PARTITION_FRAMES = 256


class Convolver:
    """A running convolution with one impulse response, shape (frames,), whose first `lead_frames` are its delay."""

    def __init__(self, response: Samples, *, lead_frames: int = 0) -> None:
        self.latency_frames = lead_frames
        size = PARTITION_FRAMES
        partitions = max(1, -(-len(response) // size))
        padded = np.zeros(partitions * size)
        padded[: len(response)] = response
        self._head = padded[:size].copy()
        blocks = padded[size:].reshape(-1, size)
        # Spectra as real and imaginary rows, shape (partitions, 2, bins): their products become vector code.
        spectra = np.fft.rfft(blocks, 2 * size, axis=1)
        self._tail_spectra = np.ascontiguousarray(np.stack((spectra.real, spectra.imag), axis=1))
        self._line = np.zeros_like(self._tail_spectra)
        self._newest = 0
        self._window = np.zeros(2 * size)
        self._filled = 0
        self._tail = np.zeros(size)

    def take_over(self, other: "Convolver") -> None:
        """Go on with what came in until now."""
        kept = min(len(self._line), len(other._line))
        newest_first = np.roll(other._line, -other._newest, axis=0)
        self._line[:kept] = newest_first[:kept]
        self._newest = 0
        self._window[:] = other._window
        self._filled = other._filled
        # What this partition is still owed by those before it, with the response of here.
        real, imaginary = self._line[:, 0], self._line[:, 1]
        own_real, own_imaginary = self._tail_spectra[:, 0], self._tail_spectra[:, 1]
        spectrum = np.sum(real * own_real - imaginary * own_imaginary, axis=0) + 1j * np.sum(
            real * own_imaginary + imaginary * own_real, axis=0
        )
        self._tail = np.fft.irfft(spectrum)[PARTITION_FRAMES:] if kept else np.zeros(PARTITION_FRAMES)

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
        spectra = np.fft.rfft(windows)
        self._newest = _multiply(spectra, self._line, self._tail_spectra, self._newest)
        return np.asarray(np.fft.irfft(spectra)[:, PARTITION_FRAMES:])


@njit(cache=True, nogil=True)
def _direct(window, head, start, frames):
    """y[n] = Σ_k head[k] x[n-k] for the frames that just came in.

    Eight taps a pass, so that the sums are fetched and stored an eighth as often; the order of the sum is the same
    for every frame, whatever the block's size.
    """
    out = np.zeros(frames)
    for k in range(0, head.size, 8):
        h0, h1, h2, h3 = head[k], head[k + 1], head[k + 2], head[k + 3]
        h4, h5, h6, h7 = head[k + 4], head[k + 5], head[k + 6], head[k + 7]
        # Slices, not sums of indices: numba then knows that no index is negative.
        x0, x1, x2, x3 = window[start - k :], window[start - k - 1 :], window[start - k - 2 :], window[start - k - 3 :]
        x4, x5, x6 = window[start - k - 4 :], window[start - k - 5 :], window[start - k - 6 :]
        x7 = window[start - k - 7 :]
        for n in range(frames):
            first = h0 * x0[n] + h1 * x1[n] + h2 * x2[n] + h3 * x3[n]
            out[n] += first + (h4 * x4[n] + h5 * x5[n] + h6 * x6[n] + h7 * x7[n])
    return out


@njit(cache=True, nogil=True)
def _multiply(spectra, line, tail_spectra, newest):
    """Per window: enter its spectrum into the line and replace it by Σ_k line[newest + k] * tail_spectra[k].

    Returns the place of the newest. The line and the tail keep real and imaginary parts apart, see above.
    """
    count, _, bins = line.shape
    real, imaginary = np.empty(bins), np.empty(bins)
    for window in range(len(spectra)):
        newest = (newest - 1) % count
        for j in range(bins):
            line[newest, 0, j] = spectra[window, j].real
            line[newest, 1, j] = spectra[window, j].imag
        real[:] = 0.0
        imaginary[:] = 0.0
        for k in range(count):
            ar, ai = line[(newest + k) % count, 0], line[(newest + k) % count, 1]
            br, bi = tail_spectra[k, 0], tail_spectra[k, 1]
            for j in range(bins):
                real[j] += ar[j] * br[j] - ai[j] * bi[j]
                imaginary[j] += ar[j] * bi[j] + ai[j] * br[j]
        for j in range(bins):
            spectra[window, j] = complex(real[j], imaginary[j])
    return newest
