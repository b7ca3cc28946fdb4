"""Signals that several tests need; invented, all from formulas."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples

FS = 48_000


def sine(frequency_hz: float, *, peak: float = 1.0, seconds: float = 1.0, rate_hz: int = FS) -> Samples:
    return peak * np.sin(2 * np.pi * frequency_hz * np.arange(round(seconds * rate_hz)) / rate_hz)


def noise(seconds: float = 1.0, *, seed: int = 1, rate_hz: int = FS) -> Samples:
    return np.random.default_rng(seed).standard_normal(round(seconds * rate_hz))


def delayed(signal: Samples, frames: float) -> Samples:
    """Exactly band-limited delay, by the phase of the spectrum."""
    spectrum = np.fft.rfft(signal, 2 * len(signal))
    turns = np.arange(len(spectrum)) / (2 * len(signal)) * frames
    return np.fft.irfft(spectrum * np.exp(-2j * np.pi * turns))[: len(signal)]


def plucks(seconds: float = 6.0, *, seed: int = 3, rate_hz: int = FS) -> Samples:
    """Decaying harmonic notes, three a second: a stand-in for a DI that needs no model of ours."""
    return _plucks(seconds, seed, rate_hz).copy()


@lru_cache(maxsize=16)
def _plucks(seconds: float, seed: int, rate_hz: int) -> Samples:
    random = np.random.default_rng(seed)
    out = np.zeros(round(seconds * rate_hz))
    for number in range(max(1, int(3 * seconds))):
        start = number * rate_hz // 3
        frequency_hz = 82.407 * 2 ** (random.integers(0, 20) / 12)
        for partial in range(1, 50):
            turning = 2j * np.pi * frequency_hz * partial * np.sqrt(1 + 1e-4 * partial**2)
            decay = 3 + 0.4 * partial
            # Until it has fallen by 180 dB.
            frames = min(len(out) - start, round(20.7 / decay * rate_hz))
            sounds = np.sin(0.4 * partial) / partial * np.exp(1j * random.uniform(0, 6))
            out[start : start + frames] += (sounds * _powers(np.exp((turning - decay) / rate_hz), frames)).imag
    return 0.5 * out / np.abs(out).max() + 1e-4 * random.standard_normal(len(out))


def _powers(base: complex, count: int) -> NDArray[np.complex128]:
    """base⁰, base¹, … in two strides, so that no sine is computed for each."""
    coarse = (base**512) ** np.arange(-(-count // 512))
    return np.outer(coarse, base ** np.arange(512)).ravel()[:count]


def inharmonic_db(
    signal: Samples, fundamental_hz: float, *, rate_hz: int = FS, up_to_hz: float = float("inf")
) -> float:
    """Largest component that is no multiple of the fundamental, in dB against the fundamental."""
    spectrum = np.abs(np.fft.rfft(signal * np.blackman(len(signal))))
    frequency_hz = np.fft.rfftfreq(len(signal), 1 / rate_hz)
    other = (frequency_hz > 20) & (frequency_hz < up_to_hz)
    for multiple in range(int(rate_hz / 2 / fundamental_hz) + 1):
        other &= np.abs(frequency_hz - multiple * fundamental_hz) > 8
    at = np.abs(frequency_hz - fundamental_hz) < 4
    return float(20 * np.log10(spectrum[other].max() / spectrum[at].max()))


def drained(source):
    """Everything that a source delivers, shape (frames, channels)."""
    blocks = []
    while (block := source.read_block()) is not None:
        blocks.append(block.samples)
    return np.concatenate(blocks)
