"""Oversampling by powers of two with linear-phase half-band filters, in blocks.

The way up and the way down together delay by a whole number of base frames (`latency_frames`), so
that a print can be laid sample for sample over its DI.
"""

from functools import lru_cache

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.tone.taking_over import take_over

# Lengths 4k+3. The first filter passes 20 of 48 kHz and stops from 28; the later ones have room.
_LENGTHS = (79, 23, 15)
_KAISER_BETA = (9.5, 9.0, 9.0)
LARGEST_FACTOR = 8


@lru_cache
def _half_band(level: int) -> Samples:
    """Taps at odd distances from the centre, one side only; the centre is 1/2, the others are zero."""
    length = _LENGTHS[level]
    centre = length // 2
    offset = np.arange(length) - centre
    taps = np.sinc(0.5 * offset) * np.kaiser(length, _KAISER_BETA[level])
    side = taps[centre + 1 :: 2]
    # A half-band's odd taps sum to a half, so that direct voltage passes exactly.
    return np.ascontiguousarray(side * (0.25 / side.sum()))


class Doubler:
    """Doubles and halves the rate at one level of the ladder; see `Oversampler` for `inner_latency_frames`."""

    STATE = ("_up_history", "_down_history")

    def __init__(self, level: int, inner_latency_frames: int = 0) -> None:
        self._side = _half_band(level)
        reach = len(self._side)
        # Up: 2*reach inputs of history. Down: two polyphase branches at the base rate of this level.
        self._up_history = np.zeros(2 * reach)
        rate_factor = 2 ** (level + 1)
        length = _LENGTHS[level]
        padding = -(length - 1 + inner_latency_frames) % rate_factor
        self.latency_frames = (length - 1 + inner_latency_frames + padding) // rate_factor
        self._down_history = np.zeros(length - 1 + padding)

    def up(self, signal: Samples) -> Samples:
        """Twice as many samples, delayed by half the filter's length."""
        buffer = np.concatenate((self._up_history, signal))
        self._up_history = buffer[signal.size :].copy()
        return np.asarray(_up(buffer, self._side, signal.size))

    def down(self, signal: Samples) -> Samples:
        """Half as many samples; `signal` has an even number of them."""
        buffer = np.concatenate((self._down_history, signal))
        self._down_history = buffer[signal.size :].copy()
        return np.asarray(_down(buffer, self._side, signal.size // 2))


@njit(cache=True, nogil=True)
def _up(buffer, side, frames):
    """y[2n] = 2 Σ side[k] (x[n-r+1+k] + x[n-r-k]),  y[2n+1] = x[n-r+1]; r = side.size taps a side.

    Tap by tap over the whole block: the inner loop has no carried sum and becomes vector code, and
    every output is the same sum in the same order whatever the block's size.
    """
    reach = side.size
    even = np.zeros(frames)
    for k in range(reach):
        tap = 2.0 * side[k]
        # Slices, not sums of indices: numba then knows that no index is negative.
        late, early = buffer[reach + 1 + k :], buffer[reach - k :]
        for n in range(frames):
            even[n] += tap * (late[n] + early[n])
    out = np.empty(2 * frames)
    for n in range(frames):
        out[2 * n] = even[n]
        out[2 * n + 1] = buffer[n + reach + 1]
    return out


@njit(cache=True, nogil=True)
def _down(buffer, side, frames):
    """y[n] = x[c]/2 + Σ side[k] (x[c+1+2k] + x[c-1-2k]) at every second sample c."""
    reach = side.size
    centre = 2 * reach - 1
    out = np.empty(frames)
    # The two phases are separated first, so that the inner loop walks plain memory.
    middle, sides = buffer[centre : centre + 2 * frames : 2].copy(), buffer[0::2].copy()
    for n in range(frames):
        out[n] = 0.5 * middle[n]
    for k in range(reach):
        tap = side[k]
        late, early = sides[reach + k :], sides[reach - 1 - k :]
        for n in range(frames):
            out[n] += tap * (late[n] + early[n])
    return out


class Oversampler:
    """The ladder: `up` to `factor` times the rate, `down` again, `latency_frames` later.

    Parameters
    ----------
    inner_latency_frames : int
        What comes between the two is late by so many frames of the higher rate; it is brought up to whole base
        frames and counts in `latency_frames`.
    """

    def __init__(self, factor: int, *, inner_latency_frames: int = 0) -> None:
        if factor not in (1, 2, 4, 8):
            raise ValueError(f"oversampling is 1, 2, 4 or 8, got {factor}")
        self.factor = factor
        levels = factor.bit_length() - 1
        self._ladder = [Doubler(level, inner_latency_frames if level == levels - 1 else 0) for level in range(levels)]
        self.latency_frames = (
            sum(doubler.latency_frames for doubler in self._ladder) if levels else inner_latency_frames
        )

    def take_over(self, other: "Oversampler") -> None:
        """Go on with what the other's filters hold."""
        for mine, theirs in zip(self._ladder, other._ladder, strict=False):
            take_over(mine, theirs)

    def up(self, signal: Samples) -> Samples:
        for doubler in self._ladder:
            signal = doubler.up(signal)
        return signal

    def down(self, signal: Samples) -> Samples:
        for doubler in reversed(self._ladder):
            signal = doubler.down(signal)
        return signal
