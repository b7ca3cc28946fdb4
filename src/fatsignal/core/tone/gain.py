"""A factor."""

import numpy as np

from fatsignal.core.clip import Samples


class Gain:
    """Runs one channel through a factor."""

    latency_frames = 0

    def __init__(self, factor: float) -> None:
        self._factor = factor

    def process(self, signal: Samples) -> Samples:
        return np.asarray(signal * self._factor)
