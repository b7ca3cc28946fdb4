"""Phases of spectra, and recordings laid over each other.

References
----------
.. [1] A. V. Oppenheim, R. W. Schafer, Discrete-Time Signal Processing, 3rd ed., ch. 13: minimum phase from the real
   cepstrum.
"""

import numpy as np

from fatsignal.core.clip import Samples


def minimum_phase(log_magnitude: Samples) -> Samples:
    """Phase that goes with a magnitude whose natural logarithm is given, shape (size // 2 + 1,) of an even size [1]."""
    size = 2 * (len(log_magnitude) - 1)
    fold = np.zeros(size)
    fold[0] = fold[size // 2] = 1.0
    fold[1 : size // 2] = 2.0
    return np.asarray(np.imag(np.fft.rfft(np.fft.irfft(log_magnitude, size) * fold)))


def laid_together(reference: Samples, other: Samples, delay: int) -> tuple[Samples, Samples]:
    """What both hold of one performance, where `other` is so many frames later."""
    if delay >= 0:
        return reference[: len(reference) - delay], other[delay:]
    return reference[-delay:], other[: len(other) + delay]
