"""Linear filters that run in blocks: rational ones, and equaliser sections after a published cookbook."""

import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

_NOTHING = 1e-25
# A section's frequency lies at most so far up, as a share of the rate.
HIGHEST_SHARE = 0.49


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


def prototype(shape: str, *, gain_db: float, q: float) -> tuple[Samples, Samples]:
    """Numerator and denominator in s, highest power first, of an equaliser section at 1 rad/s [1].

    Parameters
    ----------
    shape : "peak", "low_shelf", "high_shelf", "low_cut" or "high_cut"
        Cuts are second-order and ignore `gain_db`.

    References
    ----------
    .. [1] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Group Note, 2021.
    """
    amplitude = 10 ** (gain_db / 40)
    root = math.sqrt(amplitude) / q
    match shape:
        case "peak":
            return np.array([1, amplitude / q, 1]), np.array([1, 1 / (amplitude * q), 1])
        case "low_shelf":
            return amplitude * np.array([1, root, amplitude]), np.array([amplitude, root, 1])
        case "high_shelf":
            return amplitude * np.array([amplitude, root, 1]), np.array([1, root, amplitude])
        case "low_cut":
            return np.array([1.0, 0, 0]), np.array([1, 1 / q, 1])
        case "high_cut":
            return np.array([0.0, 0, 1]), np.array([1, 1 / q, 1])
        case _:
            raise ValueError(f"no equaliser section has the shape {shape!r}")


def cookbook_section(
    shape: str, *, frequency_hz: float, gain_db: float, q: float, rate_hz: float
) -> tuple[Samples, Samples]:
    """Numerator and denominator of one equaliser section, in z⁻¹: its `prototype` by the bilinear transform, as the
    cookbook does it.
    """
    # s = (1 - z⁻¹) / (1 + z⁻¹) / tan(w0 / 2)
    s = 1.0 / math.tan(math.pi * min(frequency_hz, HIGHEST_SHARE * rate_hz) / rate_hz)

    def at_rate(polynomial: Samples) -> Samples:
        squared, first, constant = polynomial * np.array([s * s, s, 1.0])
        return np.array([squared + first + constant, 2 * (constant - squared), squared - first + constant])

    numerator, denominator = prototype(shape, gain_db=gain_db, q=q)
    return at_rate(numerator), at_rate(denominator)


def response_db(numerator: Samples, denominator: Samples, frequency_hz: Samples, rate_hz: float) -> Samples:
    """Gain in dB of a filter at each frequency, shape of `frequency_hz`."""
    z = np.exp(-2j * np.pi * frequency_hz / rate_hz)
    gain = np.polyval(numerator[::-1], z) / np.polyval(denominator[::-1], z)
    return np.asarray(20 * np.log10(np.maximum(np.abs(gain), 1e-10)))
