"""Min/max columns of a wave, in steps that double, so that any zoom is drawn from few numbers."""

import functools

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

BASE_FRAMES = 256
_FULL = 127

Columns = NDArray[np.int8]


def columns(samples: Samples, *, frames_per_column: int = BASE_FRAMES) -> Columns:
    """Lowest and highest sample of each run of `frames_per_column` frames.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Full scale is ±1.0; what lies beyond is drawn at full scale.

    Returns
    -------
    array of int8, shape (channels, columns, 2)
        Minimum and maximum in 127ths, rounded outwards: a quiet note never vanishes.
    """
    frames, channels = samples.shape
    count = -(-frames // frames_per_column)
    low, high = np.empty((channels, count)), np.empty((channels, count))
    _extremes(np.asarray(samples, dtype=np.float64), frames_per_column, low, high)
    extremes = np.stack([np.floor(low * _FULL), np.ceil(high * _FULL)], axis=-1)
    return np.asarray(np.clip(extremes, -_FULL, _FULL).astype(np.int8))


@njit(cache=True, nogil=True)
def _extremes(samples, frames_per_column, low, high):
    """Lowest and highest sample of each run, all channels in one pass."""
    for column in range(low.shape[1]):
        start = column * frames_per_column
        for channel in range(low.shape[0]):
            low[channel, column] = high[channel, column] = samples[start, channel]
        for frame in range(start, min(start + frames_per_column, len(samples))):
            for channel in range(low.shape[0]):
                sample = samples[frame, channel]
                low[channel, column] = min(low[channel, column], sample)
                high[channel, column] = max(high[channel, column], sample)


def coarser(fine: Columns, factor: int) -> Columns:
    """Join `factor` neighbouring columns; shape (channels, ceil(columns/factor), 2)."""
    count = fine.shape[1]
    joined = -(-count // factor)
    padded = np.concatenate([fine, np.repeat(fine[:, -1:], joined * factor - count, axis=1)], axis=1)
    # Every factor-th column at once, so that the joining is a few passes over long rows.
    rows = [padded[:, start::factor] for start in range(factor)]
    low = functools.reduce(np.minimum, [row[..., 0] for row in rows])
    high = functools.reduce(np.maximum, [row[..., 1] for row in rows])
    return np.stack([low, high], axis=-1)


def loudest(of: Columns) -> list[int]:
    """Largest distance from silence in each channel, 1 to 127: what a drawing of it is scaled by."""
    return [max(1, int(np.abs(channel.astype(np.int16)).max(initial=0))) for channel in of]
