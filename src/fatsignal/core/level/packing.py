"""The packing of samples into words of three bytes, compiled."""

import numpy as np

from fatsignal.core.compiled import njit


@njit(cache=True, nogil=True)
def pack_24(block, packed):
    """Words of 24 bits and their three bytes in one pass: at 24 channels this is most of what an engine does."""
    at = 0
    for frame in range(block.shape[0]):
        for channel in range(block.shape[1]):
            word = np.int32(min(max(np.rint(block[frame, channel] * 8388608.0), -8388608.0), 8388607.0))
            packed[at] = word & 0xFF
            packed[at + 1] = (word >> 8) & 0xFF
            packed[at + 2] = (word >> 16) & 0xFF
            at += 3
