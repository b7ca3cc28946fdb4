"""Min/max columns of a wave, in steps that double, so that any zoom is drawn from few numbers."""

import functools

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples

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
    missing = count * frames_per_column - frames
    padded = np.concatenate([samples, np.repeat(samples[-1:], missing, axis=0)]) if missing else samples
    blocks = padded.reshape(count, frames_per_column, channels)
    extremes = np.stack([np.floor(blocks.min(axis=1) * _FULL), np.ceil(blocks.max(axis=1) * _FULL)], axis=-1)
    return np.asarray(np.clip(extremes, -_FULL, _FULL).astype(np.int8).transpose(1, 0, 2))


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
