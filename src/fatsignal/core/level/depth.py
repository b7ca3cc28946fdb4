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
        if self.depth == "16":
            return self.words(block).astype("<i2").tobytes()
        # Imported here: who only names a depth does not pay for numba.
        from fatsignal.core.level.packing import pack_24

        packed = np.empty(3 * block.size, dtype=np.uint8)
        pack_24(np.asarray(block, dtype=np.float64), packed)
        return packed.tobytes()

    def words(self, block: Samples) -> NDArray[np.int32]:
        """Integer values of `block` at 16 or 24 bits, shape kept."""
        steps = 2.0 ** (15 if self.depth == "16" else 23)
        scaled = block * steps
        if self.depth == "16":
            scaled = scaled + self._random.random(block.shape) - self._random.random(block.shape)
        return np.clip(np.rint(scaled), -steps, steps - 1).astype(np.int32)
