"""From float samples to the words of a file: rounding, dither, packing."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples

Depth = Literal["16", "24", "32f"]
BYTES = {"16": 2, "24": 3, "32f": 4}


class WordPacker:
    """Packs blocks of samples into little-endian words of one depth.

    At 16 bits triangular dither of one step either way (TPDF) is added before rounding, so that the
    error's mean and power do not depend on the signal. Its noise is seeded: equal audio gives equal bytes.

    References
    ----------
    .. [1] S. P. Lipshitz, R. A. Wannamaker, J. Vanderkooy, "Quantization and dither: a theoretical survey",
       JAES 40(5), 1992.
    """

    def __init__(self, depth: Depth, *, seed: int = 0) -> None:
        self.depth = depth
        self._random = np.random.default_rng(seed)

    def pack(self, block: Samples) -> bytes:
        """Words of `block`, shape (frames, channels), interleaved; what exceeds full scale is clipped to it."""
        if self.depth == "32f":
            return np.ascontiguousarray(block, dtype="<f4").tobytes()
        words = self.words(block)
        if self.depth == "16":
            return words.astype("<i2").tobytes()
        # Words of four bytes laid three apart: the next one covers the fourth byte of each.
        packed = np.empty(3 * words.size + 1, dtype=np.uint8)
        np.ndarray(words.size, "<i4", packed, strides=(3,))[:] = words.ravel()
        return packed[:-1].tobytes()

    def words(self, block: Samples) -> NDArray[np.int32]:
        """Integer values of `block` at 16 or 24 bits, shape kept."""
        steps = 2.0 ** (15 if self.depth == "16" else 23)
        scaled = block * steps
        if self.depth == "16":
            scaled = scaled + self._random.random(block.shape) - self._random.random(block.shape)
        return np.clip(np.rint(scaled), -steps, steps - 1).astype(np.int32)
