"""The round trip from output to input, measured with a ping to a fraction of a sample.

References
----------
.. [1] A. Farina, "Simultaneous measurement of impulse response and distortion with a swept-sine technique", AES 108th
   Convention, 2000: a sweep and its correlation stand far above the noise of a room.
.. [2] C. H. Knapp, G. C. Carter, "The generalized correlation method for estimation of time delay", IEEE Trans.
   ASSP 24, 1976.
"""

import math
from dataclasses import dataclass

import numpy as np
from scipy import fft

from fatsignal.core.arrays import Complex
from fatsignal.core.clip import Samples
from fatsignal.core.parabolic_peak import vertex
from fatsignal.errors import SignalError

PINGS = 6
_PING_S, _APART_S = 0.02, 0.25
_LOW_HZ, _HIGH_SHARE = 200.0, 0.4
_PEAK = 0.5
_CLEAR_FACTOR = 8.0
_STEP = 1 / 16
_EARLY_FRAMES = 64


@dataclass(frozen=True, slots=True)
class RoundTrip:
    """Delay in frames with its spread over several pings, and how far they stood out."""

    frames: float
    spread_frames: float
    pings: int
    clearness_db: float

    def ms(self, rate_hz: int) -> float:
        return 1000 * self.frames / rate_hz


def ping(rate_hz: int) -> Samples:
    """One ping, shape (frames,): a sweep of 20 ms from 200 Hz to 0.4 of the rate, faded at both ends."""
    frames = round(_PING_S * rate_hz)
    time_s = np.arange(frames) / rate_hz
    # As many octaves in equal times: the phase is the integral of f(t) = f0 · k^(t/T).
    growth = math.log(_HIGH_SHARE * rate_hz / _LOW_HZ)
    sweep = np.cos(2 * np.pi * _LOW_HZ * _PING_S / growth * np.expm1(growth * time_s / _PING_S))
    fade = frames // 8
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / fade)
    sweep[:fade] *= ramp
    sweep[-fade:] *= ramp[::-1]
    return np.asarray(_PEAK * sweep)


def ping_train(rate_hz: int, *, pings: int = PINGS) -> Samples:
    """What is sent: pings a quarter of a second apart, with as much silence after the last."""
    apart = round(_APART_S * rate_hz)
    train = np.zeros(pings * apart)
    one = ping(rate_hz)
    for number in range(pings):
        train[number * apart : number * apart + len(one)] = one
    return train


def measure_round_trip(returned: Samples, *, rate_hz: int, pings: int = PINGS) -> RoundTrip:
    """Find every ping of `ping_train` in what came back, recorded from the train's first frame on.

    Each stretch of a quarter of a second is correlated with the ping; the peak is placed between samples by
    parabolas through the band-limited correlation. Polarity does not matter.

    Raises
    ------
    SignalError
        If no ping stands out, or they disagree: a sentence for who plugs the cable.
    """
    apart, one = round(_APART_S * rate_hz), ping(rate_hz)
    # A recording that was moved back by a measured offset may begin a fraction of a frame too late.
    returned = np.concatenate((np.zeros(_EARLY_FRAMES), returned))
    size = fft.next_fast_len(apart + 2 * len(one), real=True)
    ping_spectrum = fft.rfft(one, size)
    found, clearness = [], []
    for number in range(pings):
        stretch = returned[number * apart : (number + 1) * apart + len(one)]
        if len(stretch) < len(one) + 8:
            break
        place, clear = _place_of(stretch, ping_spectrum, size, len(stretch) - len(one) + 1)
        if clear >= _CLEAR_FACTOR:
            found.append(place - _EARLY_FRAMES)
            clearness.append(clear)
    if len(found) < max(2, pings // 2):
        raise SignalError(
            f"{len(found)} of {pings} pings came back: connect the output to the input with a cable, "
            "turn the output up, and try again"
        )
    middle = float(np.median(found))
    spread = float(np.max(np.abs(np.array(found) - middle)))
    if spread > 0.02 * rate_hz:
        raise SignalError(
            f"the pings came back between {min(found) / rate_hz * 1000:.1f} and {max(found) / rate_hz * 1000:.1f} ms: "
            "something else sounds, or the interface drops blocks; try a larger buffer"
        )
    return RoundTrip(middle, spread, len(found), 20 * math.log10(float(np.median(clearness))))


def _place_of(stretch: Samples, one: Complex, size: int, longest: int) -> tuple[float, float]:
    """Delay in frames of the best match with the ping whose spectrum is `one`; the peak over the correlation's RMS."""
    spectrum = fft.rfft(stretch, size) * np.conj(one)
    correlation = fft.irfft(spectrum, size)[:longest]
    at = int(np.argmax(np.abs(correlation)))
    rms = float(np.sqrt(np.mean(np.square(correlation)))) + 1e-30
    clear = float(np.abs(correlation[at])) / rms
    if not 0 < at < len(correlation) - 1:
        return float(at), clear
    # Between its samples the correlation is band-limited: its exact values a sixteenth apart, around the coarse peak.
    offsets = at + vertex(np.abs(correlation[at - 1 : at + 2]), 1) + _STEP * np.arange(-2, 3)
    omega = 2 * np.pi * np.arange(len(spectrum)) / size
    turned, turn = spectrum * np.exp(1j * offsets[0] * omega), np.exp(1j * _STEP * omega)
    values = []
    for _ in offsets:
        values.append(abs(float(turned.real.sum())))
        turned = turned * turn
    best = int(np.clip(np.argmax(values), 1, 3))
    return float(offsets[best] + _STEP * vertex(np.array(values), best)), clear
