"""Two channels against each other, over frequency: powers, cross power and coherence, gathered block by block."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.fft import rfft

from fatsignal.core.arrays import Complex, Real
from fatsignal.core.clip import Samples

_SEGMENT_S = 0.085
_AT_ONCE = 32


@dataclass(frozen=True, slots=True)
class CrossSpectra:
    """Mean powers of two channels and what they share, shape (frequencies,) each; `segments` were averaged."""

    frequency_hz: Real
    first: Real
    second: Real
    cross: Complex
    segments: int
    # Of which those that overlap by half tell about so much less.
    independent: float

    @property
    def coherence(self) -> Real:
        """Magnitude squared; what few segments pretend is taken off, shape (frequencies,)."""
        found = np.abs(self.cross) ** 2 / np.maximum(self.first * self.second, 1e-300)
        if self.independent <= 1:
            return np.asarray(np.clip(found, 0.0, 1.0))
        bias = 1.0 / self.independent
        return np.asarray(np.clip((found - bias) / (1.0 - bias), 0.0, 1.0))


class SpectraOfTwo:
    """Gathers cross spectra from blocks of any length; Welch's method, Hann windows that overlap by half."""

    def __init__(self, rate_hz: int, *, segment_s: float = _SEGMENT_S) -> None:
        self._frames = 1 << round(math.log2(segment_s * rate_hz))
        self._rate_hz = rate_hz
        self._window = np.hanning(self._frames + 1)[:-1]
        bins = self._frames // 2 + 1
        self._first, self._second = np.zeros(bins), np.zeros(bins)
        self._cross = np.zeros(bins, dtype=np.complex128)
        self._segments = 0
        self._waiting = np.zeros((0, 2))

    def push(self, first: Samples, second: Samples) -> None:
        """The next frames of both, shape (frames,) each."""
        self._waiting = np.concatenate((self._waiting, np.column_stack((first, second))))
        step = self._frames // 2
        count = max(0, (len(self._waiting) - self._frames) // step + 1)
        for first_of in range(0, count, _AT_ONCE):
            many = min(_AT_ONCE, count - first_of)
            stretch = self._waiting[first_of * step : (first_of + many - 1) * step + self._frames]
            # Shape (segments, channels, frames): transforms of many are computed side by side.
            segments = np.lib.stride_tricks.sliding_window_view(stretch, self._frames, axis=0)[::step]
            pair = rfft(self._window * segments, axis=2)
            self._first += _power(pair[:, 0])
            self._second += _power(pair[:, 1])
            self._cross += np.sum(np.conj(pair[:, 0]) * pair[:, 1], axis=0)
        self._segments += count
        self._waiting = self._waiting[count * step :]

    def result(self) -> CrossSpectra:
        """What was gathered; of what is shorter than a segment, the one segment that it begins."""
        if not self._segments and len(self._waiting):
            missing = self._frames - len(self._waiting)
            self.push(np.zeros(missing), np.zeros(missing))
        count = max(self._segments, 1)
        # Hann windows that overlap by half: 0.9 of a segment in two is new (P. D. Welch, 1967).
        return CrossSpectra(
            np.asarray(np.fft.rfftfreq(self._frames, 1 / self._rate_hz), dtype=np.float64), self._first / count,
            self._second / count,
            self._cross / count, self._segments, 1 + (count - 1) * 0.9,
        )  # fmt: skip


def _power(spectra: Complex) -> Real:
    return np.asarray(np.sum(spectra.real**2 + spectra.imag**2, axis=0))


def cross_spectra(first: Samples, second: Samples, *, rate_hz: int, segment_s: float = _SEGMENT_S) -> CrossSpectra:
    """Of two whole channels of one length."""
    spectra = SpectraOfTwo(rate_hz, segment_s=segment_s)
    spectra.push(first, second)
    return spectra.result()
