"""A converter behind its input: noise, a broken cable, clipping, 24 bits."""

import numpy as np

from fatsignal.core.clip import Samples

_STEPS = 2**23
CONVERTER_NOISE_DBFS = -112.0
_CRACKLE_DBFS = -75.0


class ConverterRunner:
    """A running converter: the signal as a share of full scale in, samples out.

    A cable that is broken lets nothing through but a crackle now and then.
    """

    def __init__(self, *, noise_dbfs: float, seed: int, broken: bool = False) -> None:
        self._noise = 10 ** (noise_dbfs / 20)
        self._broken = broken
        self._random = np.random.default_rng(seed)

    def process(self, signal: Samples) -> Samples:
        """Convert `signal`, shape (frames,): what is beyond full scale becomes a flat top, as it does in hardware."""
        noise = self._noise * self._random.standard_normal(len(signal))
        if self._broken:
            crackle = self._random.random(len(signal)) < 2e-4
            signal = np.where(crackle, 10 ** (_CRACKLE_DBFS / 20), 0.0)
        return np.asarray(np.clip(np.round((signal + noise) * _STEPS), -_STEPS, _STEPS - 1) / _STEPS)
