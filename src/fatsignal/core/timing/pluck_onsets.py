"""Where strings are struck in a DI: to two milliseconds, also while other strings ring on.

A struck string brings the highs back at once. In every band the level is held against the loudest of the 22 ms before,
at least a period of the lowest string, so that neither the pulses within a period nor the beating of ringing strings
count; only what rises in several bands together is a stroke.

References
----------
.. [1] S. Böck, G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013: the rise over the
   maximum of a neighbourhood; here the neighbourhood lies in time.
.. [2] J. P. Bello et al., "A tutorial on onset detection in music signals", IEEE TSAP 13(5), 2005: detection
   functions, and the picking of their peaks.
"""

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.fft import next_fast_len, rfft
from scipy.ndimage import maximum_filter1d

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

_WINDOW_S, _HOP_S = 0.0053, 0.002
_PAST_S, _GUARD_HOPS = 0.022, 1
_EDGES_HZ = (200, 400, 700, 1_100, 1_700, 2_600, 4_000, 6_000, 9_000, 13_000)
_FLOOR_DB, _LARGEST_RISE_DB = -75.0, 20.0
_STRONGEST_BANDS = 3
# A stroke rises by so many dB in the mean of all bands, or in its three strongest bands. Measured on simulated parts.
_MEAN_RISE_DB, _BEST_RISE_DB = 1.4, 4.0
FAINTEST_SHARE = 0.4
_PEAK_HOPS = 3
APART_S = 0.06
_BEFORE_S, _AFTER_S, _FINE_S, _FINE_RISE = 0.005, 0.006, 0.0005, 4.0
_SILENT_DBFS = -78.0
_CHUNK_HOPS = 512


@dataclass(frozen=True, slots=True)
class Attack:
    """A stroke: the frame on which it begins, and how clear it is; 1 is as clear as is asked for."""

    frame: int
    clearness: float


@dataclass(frozen=True, slots=True)
class Rise:
    """How much the level rises at each hop, in the measure of `Attack.clearness`."""

    clearness: Samples
    hop_frames: int
    first_frame: int

    def most_near(self, frame: int, *, within_frames: int) -> float:
        """The largest rise around a frame: whether a stroke may hide there."""
        first = max(0, (frame - within_frames - self.first_frame) // self.hop_frames)
        last = max(first, (frame + within_frames - self.first_frame) // self.hop_frames + 1)
        return float(self.clearness[first:last].max(initial=0.0))

    def around(self, frame: int, *, hops: int) -> Samples:
        """The curve from so many hops before a frame to as many after it; 0 beyond the ends."""
        middle = round((frame - self.first_frame) / self.hop_frames)
        out = np.zeros(2 * hops + 1)
        first, last = max(0, middle - hops), min(len(self.clearness), middle + hops + 1)
        if first < last:
            out[first - middle + hops : last - middle + hops] = self.clearness[first:last]
        return out


def hop_frames(rate_hz: int) -> int:
    """Frames from one value of the rise to the next."""
    return round(_HOP_S * rate_hz)


def rise_of(signal: Samples, *, rate_hz: int) -> Rise:
    """The rise of the level in all bands, every 2 ms; `signal` has shape (frames,)."""
    window, hop = round(_WINDOW_S * rate_hz) // 2 * 2, hop_frames(rate_hz)
    if signal.size < 4 * window:
        return Rise(np.zeros(1), hop, window // 2)
    power = _band_power(signal, window, hop, rate_hz)
    reference = np.percentile(power, 99.5, axis=0)
    level_db = 10 * np.log10(power + reference * 10 ** (_FLOOR_DB / 10) + 10 ** (_SILENT_DBFS / 10) * window)
    past = round(_PAST_S * rate_hz / hop)
    padded = np.concatenate((np.repeat(level_db[:1], past + _GUARD_HOPS + 1, axis=0), level_db))
    # origin shifts the filter so that it ends at the hop itself; what is read is then as much earlier as the guard.
    held = maximum_filter1d(padded, past, axis=0, origin=(past - 1) // 2)[past:][: len(level_db)]
    rise_db = np.clip(level_db - held, 0, _LARGEST_RISE_DB)
    best = np.partition(rise_db, -_STRONGEST_BANDS, axis=1)[:, -_STRONGEST_BANDS:].mean(axis=1)
    clearness = np.minimum(1.6 * rise_db.mean(axis=1) / _MEAN_RISE_DB, best / _BEST_RISE_DB)
    return Rise(np.asarray(clearness, dtype=np.float64), hop, window // 2)


def find_attacks(signal: Samples, *, rate_hz: int, rise: Rise | None = None, least: float = 1.0) -> list[Attack]:
    """All strokes in order, at least 60 ms apart: the strings of a chord are one stroke.

    Parameters
    ----------
    rise : Rise, optional
        Of the same signal, where it is known already.
    least : float
        How clear a stroke has to be.
    """
    rise = rise or rise_of(signal, rate_hz=rate_hz)
    clear = rise.clearness
    peaks = np.flatnonzero((clear == maximum_filter1d(clear, 2 * _PEAK_HOPS + 1)) & (clear >= FAINTEST_SHARE * least))
    envelope, fine = _fine_envelope(signal, rate_hz)
    found: list[Attack] = []
    for stroke in _strokes(peaks, round(APART_S * rate_hz / rise.hop_frames)):
        loudest = float(clear[stroke].max())
        if loudest < least:
            continue
        # The first string of a chord may be a soft one; what is far softer is a finger on its way.
        first = stroke[np.argmax(clear[stroke] >= FAINTEST_SHARE * loudest)]
        frame = _begins(envelope, int(first) * rise.hop_frames + rise.first_frame, fine, rate_hz)
        if not found or frame - found[-1].frame >= APART_S * rate_hz:
            found.append(Attack(frame, loudest))
    return found


def _strokes(peaks: NDArray[np.int64], apart: int) -> list[NDArray[np.int64]]:
    """Peaks that belong together: those that come within so many hops after the first of them."""
    strokes: list[NDArray[np.int64]] = []
    start = 0
    for index in range(1, len(peaks) + 1):
        if index == len(peaks) or peaks[index] - peaks[start] >= apart:
            strokes.append(peaks[start:index])
            start = index
    return strokes


def _band_power(signal: Samples, window: int, hop: int, rate_hz: int) -> Samples:
    """Power in the bands, shape (hops, bands); in single precision, and in pieces that stay in the cache."""
    frames = sliding_window_view(np.asarray(signal, dtype=np.float32), window)[::hop]
    # A length that the transform likes: 254 frames, twice a prime, would take several times as long.
    size = next_fast_len(window, real=True)
    shape, bands = _window_and_bands(window, size, rate_hz)
    pieces = []
    for start in range(0, len(frames), _CHUNK_HOPS):
        spectrum = rfft(frames[start : start + _CHUNK_HOPS] * shape, size, axis=1)
        pieces.append((spectrum.real**2 + spectrum.imag**2) @ bands)
    return np.concatenate(pieces)


@lru_cache(maxsize=8)
def _window_and_bands(window: int, size: int, rate_hz: int) -> tuple[NDArray[Any], NDArray[Any]]:
    frequency_hz = np.fft.rfftfreq(size, 1 / rate_hz)
    edges = [edge for edge in _EDGES_HZ if edge < 0.48 * rate_hz]
    bands = np.zeros((len(frequency_hz), len(edges) - 1), dtype=np.float32)
    for column, (low, high) in enumerate(pairwise(edges)):
        bands[(frequency_hz >= low) & (frequency_hz < high), column] = 1
    return np.hanning(window).astype(np.float32), bands


def _fine_envelope(signal: Samples, rate_hz: int) -> tuple[Samples, int]:
    """Energy of the highs in steps of half a millisecond: differences lift them by 6 dB an octave."""
    fine = max(1, round(_FINE_S * rate_hz))
    energy = np.zeros(len(signal) // fine)
    _add_steps(signal, fine, energy)
    return energy, fine


@njit(cache=True, nogil=True)
def _add_steps(signal, fine, energy):
    before = signal[0] if len(signal) else 0.0
    for step in range(len(energy)):
        total = 0.0
        for sample in signal[step * fine : (step + 1) * fine]:
            total += (sample - before) ** 2
            before = sample
        energy[step] = total


def _begins(envelope: Samples, near: int, fine: int, rate_hz: int) -> int:
    """The first step around a coarse place whose energy is well above the loudest of the period before."""
    first = max(0, round((near - _BEFORE_S * rate_hz) / fine))
    last = min(len(envelope), round((near + _AFTER_S * rate_hz) / fine) + 1)
    past = envelope[max(0, first - round(_PAST_S * rate_hz / fine)) : max(1, first)]
    around = envelope[first:last]
    if not len(around):
        return near
    held = float(past.max(initial=0.0))
    # Between what was there and the new peak: so a soft stroke among loud ringing is placed as well as a loud one.
    level = max(_FINE_RISE * held, 0.1 * float(around.max())) if held < 0.2 * around.max() else 0.5 * around.max()
    above = np.flatnonzero(around >= level)
    return (first + int(above[0])) * fine if len(above) else near
