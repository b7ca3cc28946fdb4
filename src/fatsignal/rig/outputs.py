"""What is to sound at the outputs of a device, by its clock."""

import numpy as np

from fatsignal.core.clip import Samples


class OutputQueue:
    """Frames wait here until the device's clock reaches them; what is given for the same frames sounds together."""

    def __init__(self, outputs: int) -> None:
        self.outputs = outputs
        self._at = 0
        self._waiting = np.zeros((0, outputs))

    def play(self, samples: Samples, at_frame: int) -> None:
        """As `Source.play`."""
        samples = samples[max(0, self._at - at_frame) :]
        start = max(0, at_frame - self._at)
        missing = start + len(samples) - len(self._waiting)
        if missing > 0:
            self._waiting = np.concatenate((self._waiting, np.zeros((missing, self.outputs))))
        self._waiting[start : start + len(samples)] += samples

    def take(self, frames: int) -> Samples:
        """What sounds while the clock goes on by so many frames, shape (frames, outputs)."""
        self._at += frames
        now, self._waiting = self._waiting[:frames], self._waiting[frames:]
        return np.concatenate((now, np.zeros((frames - len(now), self.outputs))))
