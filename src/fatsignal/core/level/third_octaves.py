"""Levels in thirds of an octave, the tilt of a sound, and the bands that players have words for.

References
----------
.. [1] IEC 61260-1:2014: band centres 1000·G^(x/3) with G = 10^(3/10), edges at G^(±1/6); nominal names of ISO 266.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from scipy.fft import rfft

from fatsignal.core.arrays import Real
from fatsignal.core.clip import Samples

_OCTAVE = 10**0.3
# 20 Hz to 20 kHz.
_NUMBERS = range(-17, 14)
CENTRES_HZ: Real = np.array([1000.0 * _OCTAVE ** (number / 3) for number in _NUMBERS])
_SEGMENT_S = 1.4
SILENCE_DB = -200.0

# Limits in hertz; common practice, no source.
NAMED_BANDS_HZ = {
    "boom": (70.0, 180.0), "body": (180.0, 500.0), "honk": (500.0, 1_200.0), "bite": (2_000.0, 5_000.0),
    "fizz": (5_000.0, 10_000.0),
}  # fmt: skip
# Where guitars and their speakers are heard; the tilt is that of these.
_TILT_HZ = (80.0, 8_000.0)


@dataclass(frozen=True, slots=True)
class PowerSpectrum:
    """Mean power at each frequency, shape (bins,): together it is the mean square of the sound."""

    frequency_hz: Real
    power: Real

    def between(self, low_hz: float, high_hz: float) -> float:
        """Mean square of what lies between two frequencies; a bin that an edge cuts counts in part."""
        width = self.frequency_hz[1]
        first = max(0, math.floor(low_hz / width - 0.5))
        near = slice(first, math.ceil(high_hz / width + 0.5) + 1)
        middle = self.frequency_hz[near] + width / 2
        share = np.clip((middle - low_hz) / width, 0, 1) - np.clip((middle - high_hz) / width, 0, 1)
        return float(np.sum(share * self.power[near]))


def power_spectrum(blocks: Iterable[Samples], *, rate_hz: int) -> PowerSpectrum:
    """Of a sound of any length, in bounded memory: Welch's method, Hann windows that overlap by half.

    Parameters
    ----------
    blocks : arrays, shape (frames, channels)
        One after the other; of several channels it is the mean of their powers, so that nothing cancels.
    """
    frames = 1 << round(math.log2(_SEGMENT_S * rate_hz))
    window = np.hanning(frames + 1)[:-1, None]
    total, segments, values, square = np.zeros(frames // 2 + 1), 0, 0, 0.0
    waiting: Samples | None = None
    for block in blocks:
        square += float(np.sum(np.square(block)))
        values += block.size
        waiting = block if waiting is None else np.concatenate((waiting, block))
        while len(waiting) >= frames:
            total += _power(window * waiting[:frames], frames)
            segments += 1
            waiting = waiting[frames // 2 :]
    if waiting is not None and len(waiting) and (not segments or len(waiting) > frames // 2):
        # What is left, or all of a sound that is shorter than a segment.
        shape = np.hanning(len(waiting) + 2)[1:-1, None]
        total += _power(shape * waiting, frames)
    total[1:-1] *= 2
    frequency_hz = np.asarray(np.fft.rfftfreq(frames, 1 / rate_hz), dtype=np.float64)
    if not values or total.sum() <= 0:
        return PowerSpectrum(frequency_hz, np.zeros(len(total)))
    # Windows weigh beginnings and ends less: as a whole it has the power of the sound itself.
    return PowerSpectrum(frequency_hz, total * (square / values / total.sum()))


def _power(segment: Samples, frames: int) -> Real:
    """Of all channels of a segment together, shape (frequencies,)."""
    spectra = rfft(segment, frames, axis=0)
    return np.asarray(np.sum(np.square(spectra.real) + np.square(spectra.imag), axis=1))


@dataclass(frozen=True, slots=True)
class Band:
    """A band by its centre; `level_db` is that of its mean square: a sine at full scale reads −3.01."""

    centre_hz: float
    level_db: float


def edges_hz(centre_hz: float) -> tuple[float, float]:
    """Where a third of an octave begins and ends [1]."""
    return centre_hz * _OCTAVE ** (-1 / 6), centre_hz * _OCTAVE ** (1 / 6)


def third_octaves(spectrum: PowerSpectrum) -> list[Band]:
    """Levels in thirds of an octave up to half the rate."""
    found = []
    for centre_hz in CENTRES_HZ:
        low_hz, high_hz = edges_hz(float(centre_hz))
        if high_hz <= spectrum.frequency_hz[-1]:
            found.append(Band(float(centre_hz), _db(spectrum.between(low_hz, high_hz))))
    return found


def named_levels_db(spectrum: PowerSpectrum) -> dict[str, float]:
    """Level of each named band."""
    return {name: _db(spectrum.between(*limits)) for name, limits in NAMED_BANDS_HZ.items()}


def tilt_db_per_octave(bands: list[Band]) -> float:
    """Slope of the thirds of an octave over 80 Hz to 8 kHz: 0 for pink noise, +3.01 for white.

    Bands that hold nothing, or 60 dB less than the loudest, say nothing of it.
    """
    loudest = max((band.level_db for band in bands), default=SILENCE_DB)
    used = [
        band for band in bands
        if _TILT_HZ[0] <= band.centre_hz <= _TILT_HZ[1] and band.level_db > max(loudest - 60, SILENCE_DB)
    ]  # fmt: skip
    if len(used) < 3:
        return 0.0
    octaves = np.log2([band.centre_hz for band in used])
    return float(np.polyfit(octaves, [band.level_db for band in used], 1)[0])


def beside_each_other(levels_db: Real) -> Real:
    """Spectra of several microphones on one sound, each against the mean of all, however loud each is as a whole.

    Parameters
    ----------
    levels_db : array, shape (microphones, bands)

    Returns
    -------
    array of that shape
        In dB; of one microphone alone, against its own loudest band.
    """
    if len(levels_db) == 1:
        return np.asarray(levels_db - levels_db.max())
    power = 10 ** (levels_db / 10)
    alike = power / power.sum(axis=1, keepdims=True)
    return np.asarray(10 * np.log10(np.maximum(alike / alike.mean(axis=0), 1e-12)))


def _db(power: float) -> float:
    return 10 * math.log10(power) if power > 10 ** (SILENCE_DB / 10) else SILENCE_DB
