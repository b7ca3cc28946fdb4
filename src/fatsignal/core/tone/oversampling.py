"""Oversampling by powers of two with half-bands of two rows of allpasses, in blocks.

Such filters answer within a few samples, where linear phase would take forty: what is played through them is heard at
once. Their phase is linear up to where the highest octave begins; the way up and the way down together delay lower
frequencies by a whole number of base frames (`latency_frames`), so that a print lies sample for sample on its DI.

References
----------
.. [1] R. A. Valenzuela, A. G. Constantinides, "Digital signal processing schemes for efficient interpolation and
   decimation", IEE Proc. G 130(6), 1983: the elliptic half-band as two rows of allpasses, and its coefficients.
.. [2] T. I. Laakso et al., "Splitting the unit delay", IEEE Signal Processing Magazine 13(1), 1996: the allpass of
   first order with maximally flat group delay (Thiran), which brings the delay up to whole frames.
"""

import math
from functools import lru_cache

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.tone.taking_over import take_over

# Of each level: allpasses, and the width of its transition as a share of the higher rate. The first passes 20 of 48 kHz
# and stops from 28, 96 dB down; the later ones have room.
_LEVELS = ((6, 1 / 12), (3, 0.29), (2, 0.39))
LARGEST_FACTOR = 8


@lru_cache
def _allpasses(level: int) -> Samples:
    """Coefficients of the allpasses of a level, from the smallest: by turns of the first row and of the second."""
    count, transition = _LEVELS[level]
    k = math.tan((1 - 2 * transition) * math.pi / 4) ** 2
    root = (1 - k * k) ** 0.25
    e = 0.5 * (1 - root) / (1 + root)
    q = e + 2 * e**5 + 15 * e**9 + 150 * e**13
    order = 2 * count + 1
    found = []
    for place in range(1, count + 1):
        turn = place * math.pi / order
        upper = sum((-1) ** j * q ** (j * (j + 1)) * math.sin((2 * j + 1) * turn) for j in range(8)) * q**0.25
        lower = 0.5 + sum((-1) ** j * q ** (j * j) * math.cos(2 * j * turn) for j in range(1, 8))
        square = (upper / lower) ** 2
        x = math.sqrt((1 - square * k) * (1 - square / k)) / (1 + square)
        found.append((1 - x) / (1 + x))
    return np.array(found)


def _delay_frames(coefficients: Samples) -> float:
    """Delay of a half-band at low frequencies, in frames of its higher rate: the mean of its two rows."""
    each = 2 * (1 - coefficients) / (1 + coefficients)
    return 0.5 * (float(each[0::2].sum()) + 1 + float(each[1::2].sum()))


class Doubler:
    """Doubles and halves the rate at one level of the ladder."""

    STATE = ("_up_state", "_down_state")

    def __init__(self, level: int) -> None:
        coefficients = _allpasses(level)
        self._even, self._odd = coefficients[0::2].copy(), coefficients[1::2].copy()
        # Up and down again, less the frame by which the halved rate's frames lie later in their pair; base frames.
        self.delay_frames = (2 * _delay_frames(coefficients) - 1) / 2 ** (level + 1)
        self._up_state = np.zeros(len(coefficients))
        self._down_state = np.zeros(len(coefficients))

    def up(self, signal: Samples) -> Samples:
        """Twice as many samples."""
        return np.asarray(_up(signal, self._even, self._odd, self._up_state))

    def down(self, signal: Samples) -> Samples:
        """Half as many samples; `signal` has an even number of them."""
        return np.asarray(_down(signal, self._even, self._odd, self._down_state))


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _through_row(x, row, state, first):
    """A row of allpasses in z: w = x - a s;  y = a w + s;  s = w. What is next to nothing becomes nothing."""
    for k in range(row.size):
        held = state[first + k]
        w = x - row[k] * held
        if -1e-30 < w < 1e-30:
            w = 0.0
        x = row[k] * w + held
        state[first + k] = w
    return x


@njit(cache=True, nogil=True, error_model="numpy")
def _up(signal, even, odd, state):
    """y[2n] = E x[n],  y[2n+1] = O x[n]."""
    out = np.empty(2 * signal.size)
    for n in range(signal.size):
        out[2 * n] = _through_row(signal[n], even, state, 0)
        out[2 * n + 1] = _through_row(signal[n], odd, state, even.size)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _down(signal, even, odd, state):
    """y[n] = (E x[2n+1] + O x[2n]) / 2."""
    frames = signal.size // 2
    out = np.empty(frames)
    for n in range(frames):
        later = _through_row(signal[2 * n + 1], even, state, 0)
        out[n] = 0.5 * (later + _through_row(signal[2 * n], odd, state, even.size))
    return out


class Oversampler:
    """The ladder: `up` to `factor` times the rate, `down` again, `latency_frames` later.

    Parameters
    ----------
    inner_latency_frames : float
        What comes between the two is late by so many frames of the higher rate; it is brought up to whole base
        frames and counts in `latency_frames`.
    """

    def __init__(self, factor: int, *, inner_latency_frames: float = 0) -> None:
        if factor not in (1, 2, 4, 8):
            raise ValueError(f"oversampling is 1, 2, 4 or 8, got {factor}")
        self.factor = factor
        self._ladder = [Doubler(level) for level in range(factor.bit_length() - 1)]
        delay = sum(doubler.delay_frames for doubler in self._ladder) + inner_latency_frames / factor
        # An allpass of half a frame to one and a half fills it up to whole frames.
        whole = not self._ladder and float(delay).is_integer()
        self.latency_frames = int(delay) if whole else math.ceil(delay + 0.5)
        self._rest = None if whole else _FillingUp(self.latency_frames - delay)

    def take_over(self, other: "Oversampler") -> None:
        """Go on with what the other's filters hold."""
        for mine, theirs in zip(self._ladder, other._ladder, strict=False):
            take_over(mine, theirs)
        take_over(self._rest, other._rest)

    def up(self, signal: Samples) -> Samples:
        for doubler in self._ladder:
            signal = doubler.up(signal)
        return signal

    def down(self, signal: Samples) -> Samples:
        for doubler in reversed(self._ladder):
            signal = doubler.down(signal)
        return signal if self._rest is None else self._rest.process(signal)


class _FillingUp:
    """A delay by a part of a frame, at low frequencies."""

    STATE = ("_state",)

    def __init__(self, frames: float) -> None:
        self._row = np.array([(1 - frames) / (1 + frames)])
        self._state = np.zeros(1)

    def process(self, signal: Samples) -> Samples:
        return np.asarray(_fill_up(signal, self._row, self._state))


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_up(signal, row, state):
    out = np.empty_like(signal)
    for n in range(signal.size):
        out[n] = _through_row(signal[n], row, state, 0)
    return out
