"""Linear filters that run in blocks: rational ones, and equaliser sections after a published cookbook."""

import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

_NOTHING = 1e-25


class RationalFilter:
    """A filter given by numerator and denominator in z⁻¹, in transposed direct form II."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, numerator: Samples, denominator: Samples) -> None:
        size = max(len(numerator), len(denominator))
        self.numerator = np.zeros(size)
        self.denominator = np.zeros(size)
        self.numerator[: len(numerator)] = np.asarray(numerator) / denominator[0]
        self.denominator[: len(denominator)] = np.asarray(denominator) / denominator[0]
        self._state = np.zeros(size)

    def process(self, signal: Samples) -> Samples:
        """Filter `signal`, shape (frames,); the state goes on to the next call."""
        return np.asarray(_run_rational(signal, self.numerator, self.denominator, self._state))


@njit(cache=True, nogil=True)
def _run_rational(signal, b, a, state):
    """y = b0 x + s0;  s[k] = b[k+1] x - a[k+1] y + s[k+1].

    What rings out ends: a state far below what any file holds is nothing, before numbers grow so small that they are
    slow.
    """
    out = np.empty_like(signal)
    order = b.size - 1
    for n in range(signal.size):
        x = signal[n]
        y = b[0] * x + state[0]
        for k in range(order):
            following = b[k + 1] * x - a[k + 1] * y + state[k + 1]
            state[k] = 0.0 if -_NOTHING < following < _NOTHING else following
        out[n] = y
    return out


def cookbook_section(
    shape: str, *, frequency_hz: float, gain_db: float, q: float, rate_hz: float
) -> tuple[Samples, Samples]:
    """Numerator and denominator of one equaliser section.

    Parameters
    ----------
    shape : "peak", "low_shelf", "high_shelf", "low_cut" or "high_cut"
        Cuts are second-order and ignore `gain_db`.

    References
    ----------
    .. [1] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Group Note, 2021.
    """
    amplitude = 10 ** (gain_db / 40)
    w0 = 2 * math.pi * min(frequency_hz, 0.49 * rate_hz) / rate_hz
    cos, alpha = math.cos(w0), math.sin(w0) / (2 * q)
    root = 2 * math.sqrt(amplitude) * alpha
    up, down = amplitude + 1, amplitude - 1
    match shape:
        case "peak":
            b = [1 + alpha * amplitude, -2 * cos, 1 - alpha * amplitude]
            a = [1 + alpha / amplitude, -2 * cos, 1 - alpha / amplitude]
        case "low_shelf":
            b = [
                amplitude * (up - down * cos + root),
                2 * amplitude * (down - up * cos),
                amplitude * (up - down * cos - root),
            ]
            a = [up + down * cos + root, -2 * (down + up * cos), up + down * cos - root]
        case "high_shelf":
            b = [
                amplitude * (up + down * cos + root),
                -2 * amplitude * (down + up * cos),
                amplitude * (up + down * cos - root),
            ]
            a = [up - down * cos + root, 2 * (down - up * cos), up - down * cos - root]
        case "low_cut":
            b = [(1 + cos) / 2, -(1 + cos), (1 + cos) / 2]
            a = [1 + alpha, -2 * cos, 1 - alpha]
        case "high_cut":
            b = [(1 - cos) / 2, 1 - cos, (1 - cos) / 2]
            a = [1 + alpha, -2 * cos, 1 - alpha]
        case _:
            raise ValueError(f"no equaliser section has the shape {shape!r}")
    return np.array(b), np.array(a)


def response_db(numerator: Samples, denominator: Samples, frequency_hz: Samples, rate_hz: float) -> Samples:
    """Gain in dB of a filter at each frequency, shape of `frequency_hz`."""
    z = np.exp(-2j * np.pi * frequency_hz / rate_hz)
    gain = np.polyval(numerator[::-1], z) / np.polyval(denominator[::-1], z)
    return np.asarray(20 * np.log10(np.maximum(np.abs(gain), 1e-10)))
